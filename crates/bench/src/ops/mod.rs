//! One file for each operation; the command line, sessions and orders call these.

mod catalog;
mod claim;
mod essential;
mod evidence;
mod foreground;
mod given;
mod labels;
mod metrics;
mod note;
mod open;
mod pair;
mod restart;
mod sight;
mod survey;
mod vitals;

pub(crate) use catalog::put_together;
pub use catalog::{read_catalog, remembered_elsewhere};
pub use claim::claim;
pub(crate) use essential::{Answers, essential_answers};
pub use evidence::{fill_in_answers, read_ties};
pub use foreground::{Front, follow_front, in_front};
pub(crate) use given::give_back;
pub use labels::{Awaited, LabelCost, LabelNews, device_languages, read_labels, read_labels_for};
pub use metrics::{read_metrics, read_sizes, work_out_sizes};
pub use note::{NoteError, forget_place, note_met};
pub use open::{open_developer_options, open_on_device};
pub use pair::{PairNews, pair_by_code, pair_by_qr};
pub use restart::{COMES_BACK, RestartError, before_restart, restart_device};
pub use sight::{Sight, look_at_all};
pub(crate) use sight::{look_at, look_at_some};
pub use survey::{SurveyError, SurveyPart, survey};
pub use vitals::{Details, details, vitals};
