//! Everything known of packages, put together.

mod attribute;
#[allow(clippy::module_inception, reason = "the catalog beside its parts")]
mod catalog;
mod entry;
mod id_list;
mod value;

pub use attribute::{Attribute, Column, CompareKind, Comparison};
pub use catalog::{Catalog, Chosen};
pub use entry::CatalogEntry;
pub use id_list::IdList;
pub use value::{DisplayName, LastUse, Value};
