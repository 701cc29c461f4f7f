//! What is wrong with a search line, and where.

use std::ops::Range;

/// A place in a search line and what is wrong there.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct SearchError {
    /// The bytes of the line.
    pub at: Range<usize>,
    /// What is wrong, and what would do.
    pub words: String,
}
