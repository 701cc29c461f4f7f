//! `wibbet config`: what is configured, and where.

use std::path::Path;

use crate::config::{Config, FILE, TEMPLATE};
use crate::exit::{Exit, Failure};
use crate::export::json;
use crate::out::{line, tell};

pub(crate) fn config(folder: &Path, write: bool, as_json: bool) -> Result<Exit, Failure> {
    let file = folder.join(FILE);
    if write {
        let written = wibbet_types::private_folder(folder).and_then(|()| {
            use std::io::Write as _;
            std::fs::File::create_new(&file)?.write_all(TEMPLATE.as_bytes())
        });
        written.map_err(|why| Failure::trouble(format!("{} was not written: {why}", file.display())))?;
    }
    let config = Config::read(folder)?;
    let is_there = file.exists();
    if as_json {
        json::print(&json::Configured::of(&file, is_there, &config));
        return Ok(Exit::Done);
    }
    line(config.text().trim_end());
    tell(match is_there {
        true => format!("read from {}", file.display()),
        false => format!("there is no {}: these are the defaults; `wibbet config --write` makes one", file.display()),
    });
    Ok(Exit::Done)
}
