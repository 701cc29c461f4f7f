//! Generated APKs.

mod image;
mod plan;
mod sample;
mod table;
mod xml;

pub(crate) use image::Image;
pub(crate) use plan::Plan;
pub use sample::SampleApk;
