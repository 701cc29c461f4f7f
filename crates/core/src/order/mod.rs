//! Order files: packages with ways, to be applied to devices. `docs/order.md` tells the format.

mod apply;
mod break_file;
mod file;
mod lists;
mod make;
mod order;
mod record;
mod scope;

pub use apply::{Applied, AppliedLine, Fate, apply};
pub use break_file::{read_break, write_break};
pub use file::{BadOrder, LONGEST, Place, read_order, write_order, write_order_as_json};
pub use lists::{BadList, COLUMNS, List, read_list, write_csv, write_ids};
pub use make::Made;
pub use order::{End, Order, OrderInstall, OrderItem, OrderSetting, Otherwise, UserChoice, Users, Way, What};
pub use record::{Became, OrderRecord, RecordedDevice};
pub use scope::{BadRelease, Release, Scope};
