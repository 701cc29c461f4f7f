//! What becomes of the copies of a device's apps at the end of a job: they stay, are handed over, or are deleted.

use std::path::{Path, PathBuf};

use wibbet_core::link::CloseStep;
use wibbet_core::package::KeptCopy;
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
/// stay. What became of each. The device has to be claimed by the caller, so that none is being installed meanwhile.
pub async fn let_copies_go(book: &SharedLogbook, device: &DeviceId, how: &CopiesGo) -> Vec<CloseStep> {
    if *how == CopiesGo::Stay {
        return Vec::new();
    }
    let of = device.clone();
    let copies = match book.with(move |book| book.copies(Some(&of))).await {
        Ok(copies) => copies,
        Err(error) => return vec![CloseStep { what: "copies of apps".into(), done: false, known: error.to_string() }],
    };
    let mut steps = Vec::new();
    for copy in copies {
        let what = match how {
            CopiesGo::HandOver(_) => format!("copy of {} handed over", copy.id),
            _ => format!("copy of {} deleted", copy.id),
        };
        let (done, known) = match let_go(book, copy, how).await {
            Ok(known) => (true, known),
            Err(why) => (false, why),
        };
        steps.push(CloseStep { what, done, known });
    }
    steps
}

/// One of them. The files go first: what is half deleted is still listed, and can be deleted again.
async fn let_go(book: &SharedLogbook, copy: KeptCopy, how: &CopiesGo) -> Result<String, String> {
    if copy.offered {
        return Err("it is offered to other devices of the model, and stays".into());
    }
    let (number, folder, how) = (copy.number, book.folder().to_owned(), how.clone());
    let files = tokio::task::spawn_blocking(move || {
        let known = match &how {
            CopiesGo::HandOver(to) => hand_over(&folder, &copy, to)?,
            _ => "it cannot be put back from here any more".to_owned(),
        };
        delete(&folder.join(COPIES).join(&copy.folder)).map(|()| known)
    });
    let known = files.await.map_err(|error| error.to_string())??;
    book.with(move |book| book.let_copy_go(number, now())).await.map_err(|error| error.to_string())?;
    Ok(known)
}

fn delete(files: &Path) -> Result<(), String> {
    match std::fs::remove_dir_all(files) {
        Err(why) if why.kind() != std::io::ErrorKind::NotFound => return Err(format!("{}: {why}", files.display())),
        _ => {}
    }
    // The folders of the run and of the device, once they are empty.
    files.ancestors().skip(1).take(2).for_each(|above| drop(std::fs::remove_dir(above)));
    Ok(())
}

/// Brings the checked files of a copy into a new folder. Where they are.
fn hand_over(folder: &Path, copy: &KeptCopy, to: &Path) -> Result<String, String> {
    let files = checked(folder, copy).map_err(|error| error.to_string())?;
    // What lies there already is somebody's: copies of other benches may have the same number.
    let name = |n: u32| match n {
        1 => to.join(format!("{}-copy-{}", copy.id, copy.number)),
        n => to.join(format!("{}-copy-{}-{n}", copy.id, copy.number)),
    };
    let into = (1..1000).map(name).find(|into| !into.exists()).ok_or("there are a thousand of that name")?;
    let bad = |why: std::io::Error| format!("{}: {why}", into.display());
    private_folder(&into).map_err(bad)?;
    for file in &files {
        let mut source = std::fs::File::open(file).map_err(bad)?;
        let mut there = new_private_file(&into.join(file.file_name().unwrap_or_default())).map_err(bad)?;
        std::io::copy(&mut source, &mut there).and_then(|_| there.sync_all()).map_err(bad)?;
    }
    Ok(format!("{} in {}", bytes_words(copy.size()), into.display()))
}
