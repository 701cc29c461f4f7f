//! What becomes of the copies of a device's apps at the end of a job: they stay, are handed over, or are deleted.

use std::path::{Path, PathBuf};

use wibbet_core::link::CloseStep;
use wibbet_core::package::KeptCopy;
use wibbet_logbook::Logbook;
use wibbet_types::{DeviceId, bytes_words, new_private_file, private_folder};

use super::copies::{COPIES, checked};
use crate::logbook::{SharedLogbook, now};

/// What becomes of them.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub enum CopiesGo {
    /// They stay on this computer.
    #[default]
    Stay,
    /// They are brought into this folder, and are on this computer no longer.
    HandOver(PathBuf),
    /// They are deleted.
    Delete,
}

/// Hands over or deletes the copies that are kept of a device, one after the other; those that are offered to other devices of its model
/// stay. What became of each.
pub async fn let_copies_go(book: &SharedLogbook, device: &DeviceId, how: &CopiesGo) -> Vec<CloseStep> {
    if *how == CopiesGo::Stay {
        return Vec::new();
    }
    let (of, how, folder) = (device.clone(), how.clone(), book.folder().to_owned());
    let steps = book.with(move |book| {
        let mut steps = Vec::new();
        for copy in book.copies(Some(&of))? {
            let what = match &how {
                CopiesGo::HandOver(_) => format!("copy of {} handed over", copy.id),
                _ => format!("copy of {} deleted", copy.id),
            };
            let step = |done, known| CloseStep { what: what.clone(), done, known };
            if copy.offered {
                steps.push(step(false, "it is offered to other devices of the model, and stays".to_owned()));
                continue;
            }
            let done = match &how {
                CopiesGo::HandOver(to) => hand_over(&folder, &copy, to),
                _ => Ok("it cannot be put back from here any more".to_owned()),
            };
            let gone = done.and_then(|known| delete(book, &folder, &copy).map(|()| known));
            steps.push(match gone {
                Ok(known) => step(true, known),
                Err(why) => step(false, why),
            });
        }
        Ok(steps)
    });
    steps.await.unwrap_or_else(|error| {
        vec![CloseStep { what: "copies of apps".into(), done: false, known: error.to_string() }]
    })
}

/// The files first: what is half deleted is still listed, and can be deleted again.
fn delete(book: &Logbook, folder: &Path, copy: &KeptCopy) -> Result<(), String> {
    let files = folder.join(COPIES).join(&copy.folder);
    match std::fs::remove_dir_all(&files) {
        Err(why) if why.kind() != std::io::ErrorKind::NotFound => return Err(format!("{}: {why}", files.display())),
        _ => {}
    }
    // The folders of the run and of the device, once they are empty.
    files.ancestors().skip(1).take(2).for_each(|above| drop(std::fs::remove_dir(above)));
    book.let_copy_go(copy.number, now()).map_err(|error| error.to_string())
}

/// Brings the checked files of a copy into a folder of their own. Where they are.
fn hand_over(folder: &Path, copy: &KeptCopy, to: &Path) -> Result<String, String> {
    let files = checked(folder, copy).map_err(|error| error.to_string())?;
    let into = to.join(format!("{}-copy-{}", copy.id, copy.number));
    let bad = |why: std::io::Error| format!("{}: {why}", into.display());
    // One that was broken off is begun anew.
    if into.exists() {
        std::fs::remove_dir_all(&into).map_err(bad)?;
    }
    private_folder(&into).map_err(bad)?;
    for file in &files {
        let name = file.file_name().unwrap_or_default();
        let mut source = std::fs::File::open(file).map_err(bad)?;
        let mut there = new_private_file(&into.join(name)).map_err(bad)?;
        std::io::copy(&mut source, &mut there).and_then(|_| there.sync_all()).map_err(bad)?;
    }
    Ok(format!("{} in {}", bytes_words(copy.size()), into.display()))
}
