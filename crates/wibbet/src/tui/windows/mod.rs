//! Windows over a view.

pub(super) mod find;
pub(super) mod help;
pub(super) mod links;
