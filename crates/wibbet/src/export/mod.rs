//! What leaves the program in a promised form.

pub(crate) mod csv;
pub(crate) mod json;
pub(crate) mod life;
pub(crate) mod sheet;
