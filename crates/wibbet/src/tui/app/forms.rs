//! What is typed into windows.

use tui_input::Input;
use wibbet_bench::session::CloseStep;
use wibbet_core::package::Scope;
use wibbet_types::PackageId;

/// A window over the view.
#[derive(Debug, Clone)]
pub(crate) enum Window {
    Help {
        from: usize,
    },
    /// How to search.
    SearchHelp {
        from: usize,
    },
    Palette {
        input: Input,
        at: usize,
    },
    Address {
        input: Input,
        trouble: Option<String>,
    },
    /// How to get from nothing to a linked device.
    Guide {
        from: usize,
    },
    /// Pairing for wireless debugging.
    Pair(Box<PairForm>),
    /// Closing the link of the device.
    Close(CloseForm),
    /// In the demo: what the devices themselves show.
    OwnScreens {
        at: usize,
        act: usize,
        behind: Option<Box<PairForm>>,
    },
    /// Everything that is known of one package.
    Everything {
        from: usize,
    },
    /// Which columns the table has.
    Columns {
        at: usize,
    },
    /// Writing a note.
    Note(NoteForm),
    /// A list of ids that was pasted or typed.
    Ids(IdsForm),
    /// Opening something on the device: what was chosen.
    Open {
        at: usize,
    },
    /// Searches that were kept.
    Searches {
        at: usize,
    },
    /// The languages of labels.
    Languages {
        input: Input,
        trouble: Option<String>,
    },
    /// Writing what is on the screen, or all, to a file.
    Export {
        at: usize,
    },
    Quit,
}

/// The window for a note.
#[derive(Debug, Clone)]
pub(crate) struct NoteForm {
    pub(crate) id: PackageId,
    pub(crate) scope: Scope,
    /// What is written in each scope.
    pub(crate) inputs: [Input; 3],
    pub(crate) stars: [bool; 3],
}

/// The window for a list of ids.
#[derive(Debug, Clone, Default)]
pub(crate) struct IdsForm {
    pub(crate) input: Input,
    /// On the device and installed for the user at work.
    pub(crate) here: Vec<PackageId>,
    /// On the device, but not installed for the user.
    pub(crate) off: Vec<PackageId>,
    /// Not on the device.
    pub(crate) missing: Vec<PackageId>,
    /// What is no id.
    pub(crate) others: Vec<String>,
}

/// The window for pairing. What was typed stays until it is of no use any more.
#[derive(Debug, Clone, Default)]
pub(crate) struct PairForm {
    pub(crate) at: Input,
    pub(crate) code: Input,
    /// The address was typed, and is not replaced by what is announced.
    pub(crate) typed: bool,
    pub(crate) on_code: bool,
    pub(crate) working: bool,
    pub(crate) trouble: Option<String>,
}

/// The window for closing a link.
#[derive(Debug, Clone, Default)]
pub(crate) struct CloseForm {
    pub(crate) forget: bool,
    pub(crate) keep_debugging: bool,
    pub(crate) working: bool,
    pub(crate) steps: Option<Vec<CloseStep>>,
}
