//! Copies that are kept here.

use serde::Serialize;
use wibbet_core::package::KeptCopy;

use super::run::time;

#[derive(Serialize)]
pub(crate) struct Copies {
    pub(crate) copies: Vec<JsonCopy>,
}

#[derive(Serialize)]
pub(crate) struct JsonCopy {
    number: i64,
    device: String,
    run: Option<i64>,
    id: String,
    version: String,
    version_code: Option<u64>,
    installer: Option<String>,
    made: String,
    offered: bool,
    folder: String,
    files: Vec<JsonFile>,
    placed: Vec<String>,
}

#[derive(Serialize)]
struct JsonFile {
    name: String,
    bytes: u64,
    sha256: String,
    from: Option<String>,
}

impl JsonCopy {
    pub(crate) fn of(copy: &KeptCopy) -> Self {
        let file = |file: &wibbet_core::package::CopiedFile| JsonFile {
            name: file.name.clone(),
            bytes: file.size,
            sha256: file.sha256.clone(),
            from: file.from.as_ref().map(ToString::to_string),
        };
        Self {
            number: copy.number.number(),
            device: copy.device.to_string(),
            run: copy.run.map(wibbet_types::RunId::number),
            id: copy.id.to_string(),
            version: copy.version.to_string(),
            version_code: copy.version_code,
            installer: copy.installer.as_ref().map(ToString::to_string),
            made: time(copy.made),
            offered: copy.offered,
            folder: copy.folder.clone(),
            files: copy.files.iter().map(file).collect(),
            placed: copy.placed.iter().map(ToString::to_string).collect(),
        }
    }
}
