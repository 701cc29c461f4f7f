//! What an APK says of itself, from as few of its bytes as possible.
//!
//! Nothing here does input or output. An [`ApkReader`] is told how long a file is, says which ranges of it it needs, is fed
//! them, and asks again until it knows; so hundreds of files share a round trip. It reads the end record, the
//! central directory, the manifest, and of the resource table only what leads to the label.
//!
//! ```
//! use wibbet_apk::{ApkReader, Question, Step, Stride};
//!
//! let file: &[u8] = &[0; 100]; // no APK
//! let mut reader = ApkReader::new(file.len() as u64, Question::Label, vec!["de-DE".parse().unwrap()], Stride::SHORT);
//! let answer = loop {
//!     match reader.step() {
//!         Step::Wants(wants) => {
//!             for want in wants {
//!                 reader.feed(want.start, &file[want.start as usize..][..want.len]);
//!             }
//!         }
//!         Step::Done(answer) => break answer,
//!     }
//! };
//! assert!(answer.is_err());
//! ```
//!
//! Sources: the ZIP application note; `ResourceTypes.h` and `AndroidManifest` as the open-source system has them.

mod bytes;
mod config;
mod manifest;
mod pieces;
mod pool;
mod reader;
mod table;
mod xml;
mod zip;

pub use config::Config;
pub use manifest::{Component, ComponentKind, Filter, Library, Manifest, Queries, read_manifest};
pub use pieces::{ApkError, Want};
pub use reader::{ApkFacts, ApkReader, Launcher, Question, Step, Stride};
pub use table::Text;
pub use xml::{Attribute, Event, Value, XmlReader};
