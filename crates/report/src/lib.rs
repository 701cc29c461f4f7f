//! What Wibbet puts on paper: drawings as SVG and PDF, with the fonts in the file, so that they look the same everywhere. What is shown
//! comes from `core`; here it gets its place on a page.
//!
//! ```
//! use wibbet_report::{Document, Picture, Tone};
//!
//! let mut page = Picture::of(300.0, 200.0);
//! page.text((20.0, 30.0), "Tarn 5", 12.0, Tone::Ink);
//! let drawing = Document { title: "A page".into(), pages: vec![page] };
//! assert!(drawing.svg()?.starts_with("<svg"));
//! assert!(drawing.pdf()?.starts_with(b"%PDF-"));
//! # Ok::<(), wibbet_report::ReportError>(())
//! ```

mod document;
mod fleet;
mod font;
mod layout;
mod life;
mod outlines;
mod picture;
mod sheet;
mod ties;
mod tray;

pub use document::{Document, ReportError};
pub use fleet::fleet;
pub use font::{FontFile, further_fonts_from, is_covered, shown_as};
pub use layout::{Heading, Paper};
pub use life::life;
pub use picture::{Picture, Tone};
pub use sheet::job_sheet;
pub use ties::ties;
pub use tray::tray;
