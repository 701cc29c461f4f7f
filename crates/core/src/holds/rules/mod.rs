//! The rules: a small function each from what is known to holds, one file a kind. Help, search and the command line read this list.

mod habit;
mod need;
mod role;
mod start;

use super::graph::Graph;
use super::hold::{Found, HoldKind};
use super::known::Known;
pub use role::What;

/// A rule.
#[derive(Debug, Clone, Copy)]
pub struct Rule {
    /// The kind of holds that it finds.
    pub kind: HoldKind,
    /// What it is about, in words.
    pub doc: &'static str,
    pub(crate) find: fn(&Known<'_>, &Graph<'_>, &mut Found),
}

/// Every rule, the weightiest first.
pub const RULES: &[Rule] = &[start::RULE, role::RULE, need::RULE, habit::RULE];
