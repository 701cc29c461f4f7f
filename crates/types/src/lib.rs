//! The checked types that every part of Wibbet speaks in.
//!
//! A value of one of these types has been checked when it was made, so nothing further down has to
//! check it again: a [`PackageId`] cannot carry a shell's special characters, a [`PlainText`]
//! cannot carry a terminal's control characters.
//!
//! ```
//! use wibbet_types::{PackageId, PlainText};
//!
//! assert!("com.android.calendar".parse::<PackageId>().is_ok());
//! assert!("com.x; reboot".parse::<PackageId>().is_err());
//! assert_eq!(PlainText::new("a\u{1b}[31m").as_str(), "a␛[31m");
//! ```

mod address;
mod android;
mod ids;
mod locale;
mod path;
mod private;
mod reading;
mod text;
mod time;
mod words;

pub use address::{Address, BadAddress};
pub use android::AndroidVersion;
pub use ids::{BadId, BreakId, CopyId, DeviceId, FinderId, LookId, PackageId, RunId, Serial, StepIndex, UserId};
pub use locale::Locale;
pub use path::{BadPath, DevicePath, shell_quoted};
pub use private::{new_private_file, private_file, private_folder};
pub use reading::{read_text, text_of};
pub use text::PlainText;
pub use time::{DeviceTime, Timestamp};
pub use words::{Named, bytes_words, counted};
