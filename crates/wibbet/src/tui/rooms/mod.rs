//! One room for each view: what it draws, and what is under the mouse.

pub(super) mod bench;
pub(super) mod frame;
pub(super) mod logbook;
pub(super) mod packages;
pub(super) mod parts;
pub(super) mod run;
pub(super) mod shelf;
pub(super) mod table;

pub(crate) use parts::under_cursor;
