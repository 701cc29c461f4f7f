//! Drawings into files, beside what a command says.

use std::path::{Path, PathBuf};

use clap::Args;
use wibbet_core::catalog::Catalog;
use wibbet_core::device::DeviceFacts;
use wibbet_report::{Document, Heading, is_covered};
use wibbet_types::{PackageId, UserId};

use crate::exit::Failure;
use crate::out::tell;

/// Where a drawing is to be written to.
#[derive(Debug, Args)]
pub(crate) struct Drawing {
    /// Draw it too, as SVG, into this file; one that is there is replaced.
    #[arg(long, value_name = "FILE")]
    svg: Option<PathBuf>,
    /// Draw it too, as PDF, into this file; one that is there is replaced.
    #[arg(long, value_name = "FILE")]
    pdf: Option<PathBuf>,
}

impl Drawing {
    /// Whether anything is to be drawn.
    pub(crate) fn is_wanted(&self) -> bool {
        self.svg.is_some() || self.pdf.is_some()
    }

    /// Draws it into the files that are wanted.
    pub(crate) fn write(&self, drawing: &Document) -> Result<(), Failure> {
        let write = |path: &Path, bytes: &[u8]| {
            std::fs::write(path, bytes).map_err(|error| {
                Failure::trouble(format!("the drawing was not written to {}: {error}", path.display()))
            })
        };
        if let Some(path) = &self.svg {
            write(path, drawing.svg().map_err(Failure::trouble)?.as_bytes())?;
            tell(format_args!("drawn into {}", path.display()));
        }
        if let Some(path) = &self.pdf {
            write(path, &drawing.pdf().map_err(Failure::trouble)?)?;
            tell(format_args!("drawn into {}", path.display()));
        }
        Ok(())
    }
}

/// What stands over a drawing of a device for a user: no serial, since drawings are handed on.
pub(crate) fn heading(title: String, facts: Option<&DeviceFacts>, catalog: &Catalog, user: UserId) -> Heading {
    // What the fonts lack is left out: the rest says which device and user that is.
    let device = facts.map(|facts| format!("{} · {}", facts.name(), facts.android)).filter(|name| is_covered(name));
    let name = catalog.inventory.user(user).map(|user| format!(" {}", user.name));
    let name = name.filter(|name| is_covered(name)).unwrap_or_default();
    let day = jiff::Zoned::now().date();
    let below = device.into_iter().chain([format!("user {user}{name}"), format!("as read on {day}")]);
    Heading { title, below: below.collect::<Vec<_>>().join(" · "), foot: String::new() }
}

/// The name that people know a package by.
pub(crate) fn label(catalog: &Catalog, id: &PackageId) -> Option<String> {
    catalog.names.apps.get(id).and_then(|app| app.name()).map(|label| label.as_str().to_owned())
}
