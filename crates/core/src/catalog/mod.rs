//! Everything known of packages, put together.

mod attribute;
mod catalog;
mod entry;
mod id_list;

pub use attribute::Column;
pub use catalog::{Catalog, Chosen};
pub use entry::CatalogEntry;
pub use id_list::IdList;
