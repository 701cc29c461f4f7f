//! Folders and files that are for nobody but their owner.

use std::fs::{DirBuilder, File, OpenOptions};
use std::path::Path;

/// Makes a folder, with those above it that are missing, for its owner only (0700). One that is there stays as it is.
///
/// # Errors
/// Those of the system.
pub fn private_folder(path: &Path) -> std::io::Result<()> {
    let mut builder = DirBuilder::new();
    builder.recursive(true);
    #[cfg(unix)]
    std::os::unix::fs::DirBuilderExt::mode(&mut builder, 0o700);
    builder.create(path)
}

/// Makes an empty file for its owner only (0600). One that is there stays as it is.
///
/// # Errors
/// Those of the system.
pub fn private_file(path: &Path) -> std::io::Result<()> {
    match new_private_file(path) {
        Err(error) if error.kind() != std::io::ErrorKind::AlreadyExists => Err(error),
        _ => Ok(()),
    }
}

/// Makes a file that was not there, for its owner only (0600). Nothing that lies there is followed or written over.
///
/// # Errors
/// Those of the system; `AlreadyExists` among them.
pub fn new_private_file(path: &Path) -> std::io::Result<File> {
    let mut options = OpenOptions::new();
    options.write(true).create_new(true);
    #[cfg(unix)]
    std::os::unix::fs::OpenOptionsExt::mode(&mut options, 0o600);
    options.open(path)
}
