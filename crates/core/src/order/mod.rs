//! Order files: packages with ways, to be applied to devices. `docs/order.md` tells the format.

mod break_file;

pub use break_file::{BadOrder, read_break, write_break};
