//! Generated APKs.

mod image;
mod plan;
mod read;
mod sample;
mod table;
mod xml;

pub(crate) use image::Image;
pub(crate) use plan::Plan;
pub(crate) use read::{Head, head_of};
pub use sample::SampleApk;
