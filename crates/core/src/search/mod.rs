//! Finding packages as one types.
//!
//! Words separated by spaces; a package is found when all of them fit. A plain word is looked for in label, id and notes, best
//! first; letters may be left out of a longer one. `"Two words"` stand as they are. A word that begins with a colon is a
//! fact (`:disabled`) or compares one (`:size>50M`). `|` is "or", `!` is "not", and parentheses group.
//!
//! ```text
//! line  = all { "|" all }
//! all   = part { part }
//! part  = [ "!" ] ( "(" line ")" | ":" name [ op value ] | word | '"' text '"' )
//! op    = ">" | "<" | ">=" | "<=" | "="
//! value = number [ unit ] | word | '"' text '"'
//! ```
//!
//! A comparison with something that the device does not report is neither true nor false: the package is not found, also
//! not by its negation.

mod ast;
mod complete;
mod error;
mod facts;
mod line;
mod matcher;
mod parse;
#[cfg(test)]
mod tests;

pub use complete::Completion;
pub use error::{SearchError, SearchErrorKind};
pub use facts::{Fact, FactRow, facts};
pub use line::Search;
pub use matcher::Matcher;
