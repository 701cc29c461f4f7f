//! State of the screen, nothing else.

mod device;
mod forms;
mod model;
mod run_pane;

pub(crate) use device::DeviceModel;
pub(crate) use forms::{CloseForm, IdsForm, NoteForm, PairForm, Window};
pub(crate) use model::{Model, Note};
pub(crate) use run_pane::{Review, RunPane};
