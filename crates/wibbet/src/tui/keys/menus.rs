//! The letters in the small menus of the rooms: what is done less often there.

use super::action::Action;
use super::binding::{Binding, bind};
use super::key::letter;

/// The same in the menus of two rooms.
const JOB: Binding = bind(
    Action::Job,
    &[letter('j')],
    "Technician, ticket, customer, note",
    "job",
    "Writes down who does this, the ticket, for whom it is, and a note for the customer: of the run that is shown, or of every run on the device from now on.",
);

/// Rarer actions on the bench.
pub(super) const BENCH_MENU: &[Binding] = &[
    JOB,
    bind(
        Action::CloseLink,
        &[letter('l')],
        "Close the link",
        "close link",
        "Shows what closing the link does: debugging off on the device, what was changed put back, the device forgotten on wish.",
    ),
    bind(
        Action::StayAwake,
        &[letter('h')],
        "Keep the device awake",
        "keep awake",
        "Keeps the device awake while it is charging, or lets it sleep as it did before; closing the link does that too.",
    ),
    bind(
        Action::DeveloperOptions,
        &[letter('d')],
        "Open the device's developer options",
        "developer options",
        "Wakes the device and opens the page with its developer options there, wherever its maker has put it.",
    ),
    bind(
        Action::SwitchOnWireless,
        &[letter('w')],
        "Switch wireless debugging on",
        "wireless on",
        "Switches wireless debugging on over the link that there is, such as a cable, for Android 11 and later.",
    ),
    bind(
        Action::Restart,
        &[letter('r')],
        "Restart the device",
        "restart",
        "Shows what a restart does to the link and what waits for it; then has the device write its changes down, and restarts it.",
    ),
    bind(
        Action::Picture,
        &[letter('p')],
        "Take a picture of the device's screen",
        "picture",
        "Takes a picture of what is on the device's screen, and writes it to a file.",
    ),
    bind(
        Action::AskForRoot,
        &[letter('u')],
        "Ask the device for root",
        "root",
        "Where a device has root: asks for it, which it may do on its screen too. Hiding and disabling as root are among the ways then.",
    ),
    bind(
        Action::Files,
        &[letter('f')],
        "Bring a file from the device or to it",
        "file",
        "Brings one file from the device or to it; one that was broken off from there goes on where it was.",
    ),
    bind(
        Action::Shell,
        &[letter('s')],
        "One command of the device's shell",
        "shell",
        "Sends one command to the device's shell, as it is typed, and shows the answer; both are kept in the logbook.",
    ),
    bind(
        Action::TryChanges,
        &[letter('c')],
        "Try whether changes are permitted",
        "try changes",
        "Where Android does not tell whether changes are permitted: sets one of its own parts to the state that it has, reads it back, and writes that down.",
    ),
];

/// Rarer actions on packages.
pub(super) const PACKAGES_MENU: &[Binding] = &[
    bind(
        Action::Note,
        &[letter('n')],
        "Write a note",
        "note",
        "Writes a note on the package: for this device, for this model or for all devices.",
    ),
    bind(
        Action::Columns,
        &[letter('c')],
        "Choose columns",
        "columns",
        "Chooses the columns of the table and their order.",
    ),
    bind(
        Action::Searches,
        &[letter('s')],
        "Kept searches",
        "kept searches",
        "Uses a search that was kept, or keeps the one of now.",
    ),
    bind(
        Action::FromList,
        &[letter('l')],
        "Mark from a list of ids",
        "from list",
        "Marks what a pasted or typed list of ids names, and says what of it is not on the device.",
    ),
    bind(
        Action::InstallApp,
        &[letter('a')],
        "Install an app",
        "install app",
        "Takes an app of this computer's into the tray. It is installed before anything goes, and takes over what that was chosen for.",
    ),
    bind(
        Action::Parts,
        &[letter('p')],
        "Switch parts of the package, as root",
        "parts",
        "Where root was given: switches single parts of the package under the cursor off for the user, and back; shows what is sent before.",
    ),
    bind(
        Action::Export,
        &[letter('x')],
        "Export the table",
        "export",
        "Writes the table to a file, as CSV or JSON: what is found, or all.",
    ),
    bind(
        Action::Open,
        &[letter('o')],
        "Open on the device",
        "open there",
        "Opens the app, or the page of the settings about it, on the device; shows what is sent first.",
    ),
    bind(Action::CopyId, &[letter('y')], "Copy the id", "copy id", "Copies the id of the package to the clipboard."),
    bind(
        Action::WorkOutSizes,
        &[letter('z')],
        "Work out sizes",
        "",
        "Where the device reports no sizes: has it work them out now, which it does by itself when it is idle on its charger.",
    ),
    bind(
        Action::Languages,
        &[letter('g')],
        "Language of labels",
        "",
        "Reads labels in another language than the device's own.",
    ),
    bind(
        Action::Unfollow,
        &[letter('f')],
        "Stop following the device's screen",
        "",
        "Asks the device no longer what is on its screen.",
    ),
];

/// Rarer actions on plans and runs.
pub(super) const RUN_MENU: &[Binding] = &[
    JOB,
    bind(
        Action::AllowNoWayBack,
        &[letter('o')],
        "Send also what has no way back",
        "allow no way back",
        "In a plan, sends also what could not be put back from here.",
    ),
    bind(
        Action::DespiteStart,
        &[letter('t')],
        "Send also what the start needs",
        "despite the start",
        "In a plan, shows what the start of the device would lose, and asks whether it goes all the same.",
    ),
    bind(Action::CopyId, &[letter('y')], "Copy the id", "copy id", "Copies the id of the package to the clipboard."),
];

/// Rarer actions on the shelf.
pub(super) const SHELF_MENU: &[Binding] = &[
    bind(
        Action::SettingsBack,
        &[letter('e')],
        "Settings that orders have set",
        "settings",
        "Shows which settings of the device orders have set, and what each was before; puts them back, last one first, each read back.",
    ),
    bind(
        Action::OfferCopy,
        &[letter('o')],
        "Offer its copy to others of the model",
        "offer its copy",
        "Lets the copy of an app that is kept here be installed on other devices of the same model, where it is offered when an app is installed; again, keeps it for this device.",
    ),
    bind(Action::CopyId, &[letter('y')], "Copy the id", "copy id", "Copies the id of the package to the clipboard."),
];
