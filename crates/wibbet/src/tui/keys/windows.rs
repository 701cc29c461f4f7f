//! The keys of the windows, as tables. A window shows its own at its foot.

use crossterm::event::KeyCode;

use super::action::Action;
use super::binding::{Binding, foot};
use super::key::{control, key, letter};

const ENTER: &[super::key::Key] = &[key(KeyCode::Enter)];
const ESC: &[super::key::Key] = &[key(KeyCode::Esc)];
const UP: &[super::key::Key] = &[key(KeyCode::Up)];
const DOWN: &[super::key::Key] = &[key(KeyCode::Down)];

/// A page that is read.
pub(super) const READING: &[Binding] = &[
    foot(Action::Down, &[key(KeyCode::Down), letter('j')], "moves"),
    foot(Action::Up, &[key(KeyCode::Up), letter('k')], ""),
    foot(Action::PageDown, &[key(KeyCode::PageDown), letter(' ')], "a page"),
    foot(Action::PageUp, &[key(KeyCode::PageUp)], ""),
    foot(Action::First, &[key(KeyCode::Home)], ""),
    foot(Action::Last, &[key(KeyCode::End)], ""),
    foot(Action::Leave, &[key(KeyCode::Esc), key(KeyCode::Enter), letter('q'), letter('?')], "closes"),
];

/// Everything known of a package, beside what goes for any page.
pub(super) const EVERYTHING: &[Binding] = &[foot(Action::CopyId, &[letter('y')], "copies the id")];

/// All actions by name.
pub(super) const PALETTE: &[Binding] = &[
    foot(Action::Accept, ENTER, "does it"),
    foot(Action::Down, DOWN, "moves"),
    foot(Action::Up, UP, ""),
    foot(Action::PageDown, &[key(KeyCode::PageDown)], ""),
    foot(Action::PageUp, &[key(KeyCode::PageUp)], ""),
    foot(Action::Leave, ESC, "closes"),
];

/// The menu of a room, beside its letters.
pub(super) const MENU: &[Binding] = &[
    foot(Action::Accept, ENTER, "does it"),
    foot(Action::Down, DOWN, "moves"),
    foot(Action::Up, UP, ""),
    foot(Action::Leave, ESC, "closes"),
];

/// An address.
pub(super) const ADDRESS: &[Binding] = &[foot(Action::Accept, ENTER, "adds it"), foot(Action::Leave, ESC, "not now")];

/// The orders at hand.
pub(super) const ORDERS: &[Binding] = &[
    foot(Action::Accept, ENTER, "opens it"),
    foot(Action::Add, &[letter('m')], "makes one"),
    foot(Action::Down, &[key(KeyCode::Down), letter('j')], "moves"),
    foot(Action::Up, &[key(KeyCode::Up), letter('k')], ""),
    foot(Action::PageDown, &[key(KeyCode::PageDown)], ""),
    foot(Action::PageUp, &[key(KeyCode::PageUp)], ""),
    foot(Action::Leave, &[key(KeyCode::Esc), letter('q')], "closes"),
];

/// Making an order.
pub(super) const ORDER_MAKING: &[Binding] = &[
    foot(Action::Accept, ENTER, "writes it"),
    foot(Action::Down, DOWN, "of what"),
    foot(Action::Up, UP, ""),
    foot(Action::Leave, ESC, "not now"),
];

/// An order at work.
pub(super) const ORDER_WORK: &[Binding] = &[
    foot(Action::Send, &[letter('s')], "shows what is sent"),
    foot(Action::Mark, &[letter(' ')], "this device, or not"),
    foot(Action::Later, &[key(KeyCode::Right), letter('l')], "devices"),
    foot(Action::Earlier, &[key(KeyCode::Left), letter('h')], ""),
    foot(Action::Down, &[key(KeyCode::Down), letter('j')], "items"),
    foot(Action::Up, &[key(KeyCode::Up), letter('k')], ""),
    foot(Action::PageDown, &[key(KeyCode::PageDown)], ""),
    foot(Action::PageUp, &[key(KeyCode::PageUp)], ""),
    foot(Action::Stop, &[letter('x')], "stops it there"),
    foot(Action::StopAll, &[letter('X')], "stops everywhere"),
    foot(Action::StopsOn, &[letter('R')], "what stops it"),
    foot(Action::LineMode, &[letter('L')], "line"),
    foot(Action::Reset, &[letter('r')], "reads again"),
    foot(Action::Remove, &[letter('e')], "lets go of the order"),
    foot(Action::Leave, &[key(KeyCode::Esc), letter('q')], "closes"),
];

/// What an order sends, beside what goes for any page.
pub(super) const ORDER_ASKED: &[Binding] = &[foot(Action::Send, &[letter('s')], "sends it")];

/// Installing an app.
pub(super) const APPS: &[Binding] = &[
    foot(Action::Accept, ENTER, "takes it"),
    foot(Action::Complete, &[key(KeyCode::Tab)], "completes"),
    foot(Action::WholeFolder, &[control('a')], "the whole folder, as one app"),
    foot(Action::Down, DOWN, "moves"),
    foot(Action::Up, UP, ""),
    foot(Action::PageDown, &[key(KeyCode::PageDown)], ""),
    foot(Action::PageUp, &[key(KeyCode::PageUp)], ""),
    foot(Action::Leave, ESC, "not now"),
];

/// Languages of labels.
pub(super) const LANGUAGES: &[Binding] = &[
    foot(Action::Accept, ENTER, "reads the labels again in these"),
    foot(Action::Leave, ESC, "leaves them as they are"),
];

/// Pairing.
pub(super) const PAIR: &[Binding] = &[
    foot(Action::Accept, ENTER, "pair"),
    foot(Action::NextField, &[key(KeyCode::Tab), key(KeyCode::BackTab), key(KeyCode::Up), key(KeyCode::Down)], "field"),
    foot(Action::Leave, ESC, "not now"),
    foot(Action::DeviceScreens, &[control('t')], "its screen"),
];

/// The device that the program runs on.
pub(super) const HERE: &[Binding] = &[
    foot(Action::Accept, ENTER, "pair"),
    foot(Action::NextField, &[key(KeyCode::Tab), key(KeyCode::BackTab), key(KeyCode::Up), key(KeyCode::Down)], "field"),
    foot(Action::LookAgain, &[letter('r')], "looks again"),
    foot(Action::Leave, ESC, "not now"),
];

/// Closing a link.
pub(super) const CLOSE: &[Binding] = &[
    foot(Action::CloseNow, &[letter('s')], "does it"),
    foot(Action::KeepDebugging, &[letter('k')], "debugging"),
    foot(Action::Forget, &[letter('f')], "forgets it"),
    foot(Action::Copies, &[letter('c')], "copies"),
    foot(Action::JobSheet, &[letter('J')], "the job sheet"),
    foot(Action::Leave, &[key(KeyCode::Esc), letter('n')], "not now"),
];

/// Settings that orders have set.
pub(super) const SETTINGS_BACK: &[Binding] = &[foot(Action::Send, &[letter('s')], "puts them back")];

/// A file that is brought.
pub(super) const FILES: &[Binding] = &[
    foot(Action::Accept, ENTER, "brings it"),
    foot(Action::NextField, &[key(KeyCode::Tab), key(KeyCode::BackTab), key(KeyCode::Up), key(KeyCode::Down)], "field"),
    foot(Action::Toggle, &[control('d')], "to the device, or from it"),
    foot(Action::Leave, ESC, "not now"),
];

/// The fault finder, before it begins.
pub(super) const FINDER_BEGINS: &[Binding] = &[
    foot(Action::Accept, ENTER, "begins"),
    foot(Action::NextField, &[key(KeyCode::Down), key(KeyCode::Up)], "the other line"),
    foot(Action::Toggle, &[key(KeyCode::Tab)], "the last run, or all"),
    foot(Action::Leave, ESC, "not now"),
];

/// The fault finder.
pub(super) const FINDER: &[Binding] = &[
    foot(Action::TryRound, &[letter('s')], "sends it"),
    foot(Action::StillBroken, &[letter('y')], "it is still broken"),
    foot(Action::NotBroken, &[letter('n')], "it is not"),
    foot(Action::CannotTell, &[letter('c')], "cannot be told"),
    foot(Action::TakeAnswerBack, &[letter('b')], "the last answer was wrong"),
    foot(Action::EndFinder, &[letter('e')], "ends it"),
    foot(Action::Leave, &[key(KeyCode::Esc), key(KeyCode::Enter)], "later"),
];

/// One command of a shell.
pub(super) const SHELL: &[Binding] = &[
    foot(Action::Accept, ENTER, "sends it"),
    foot(Action::Down, DOWN, "moves"),
    foot(Action::Up, UP, ""),
    foot(Action::PageDown, &[key(KeyCode::PageDown)], ""),
    foot(Action::PageUp, &[key(KeyCode::PageUp)], ""),
    foot(Action::Leave, ESC, "closes"),
];

/// Switching parts of a package.
pub(super) const PART_ASKED: &[Binding] = &[
    foot(Action::SwitchNow, &[letter('s')], "sends it"),
    foot(Action::Leave, &[key(KeyCode::Esc), letter('n')], "not now"),
];

/// Choosing the part.
pub(super) const PARTS: &[Binding] = &[
    foot(Action::Accept, ENTER, "takes this one"),
    foot(Action::Down, DOWN, "moves"),
    foot(Action::Up, UP, ""),
    foot(Action::PageDown, &[key(KeyCode::PageDown)], ""),
    foot(Action::PageUp, &[key(KeyCode::PageUp)], ""),
    foot(Action::Leave, ESC, "closes"),
];

/// Restarting a device.
pub(super) const RESTART: &[Binding] = &[
    foot(Action::RestartNow, &[letter('s')], "restarts it"),
    foot(Action::Toggle, &[letter(' ')], "into what"),
    foot(Action::Leave, &[key(KeyCode::Esc), letter('n')], "not now"),
];

/// An update break.
pub(super) const BREAK: &[Binding] = &[
    foot(Action::BeginBreak, &[letter('s')], "plans putting it back"),
    foot(Action::Toggle, &[letter('b')], "with what was off before, or without"),
    foot(Action::ChooseAgain, &[letter('a')], "chooses it again, and ends the break"),
    foot(Action::EndBreak, &[letter('e')], "ends it as it is"),
];

/// A job sheet, beside what goes for any page.
pub(super) const JOB_SHEET: &[Binding] = &[
    foot(Action::WritePdf, &[letter('p')], "writes it as PDF"),
    foot(Action::WriteSvg, &[letter('v')], "as SVG"),
    foot(Action::Toggle, &[letter('o')], "this run only, or all of the job"),
    foot(Action::SheetSerial, &[letter('i')], "the serial, or not"),
    foot(Action::SheetUsage, &[letter('u')], "figures, or not"),
    foot(Action::SheetPaper, &[letter('l')], "the paper"),
];

/// The life of a device, beside what goes for any page.
pub(super) const LIFE: &[Binding] =
    &[foot(Action::WritePdf, &[letter('p')], "writes it as PDF"), foot(Action::WriteSvg, &[letter('v')], "as SVG")];

/// What has changed.
pub(super) const CHANGES: &[Binding] = &[
    foot(Action::ChooseAgain, &[letter('a')], "chooses again what is back"),
    foot(Action::Earlier, &[key(KeyCode::Left)], "since an earlier look"),
    foot(Action::Later, &[key(KeyCode::Right)], "a later one"),
];

/// Catch, before it begins.
pub(super) const CATCH: &[Binding] = &[
    foot(Action::CatchNow, &[letter('s')], "begins"),
    foot(Action::Toggle, &[letter(' ')], "the last run, or all"),
    foot(Action::Leave, &[key(KeyCode::Esc), letter('n')], "not now"),
];

/// Catch, while it goes on.
pub(super) const CATCHING: &[Binding] = &[
    foot(Action::Stop, &[letter('x')], "stops it"),
    foot(Action::Leave, &[key(KeyCode::Esc), key(KeyCode::Enter)], "closes this"),
];

/// What the start of a device needs.
pub(super) const START: &[Binding] = &[
    foot(Action::DespiteStartNow, &[letter('T')], "takes it out all the same"),
    foot(Action::TryRestart, &[letter('r')], "restarts it first, as a trial"),
    foot(Action::Leave, &[key(KeyCode::Esc), letter('n')], "leaves it as it is"),
];

/// What leans on what.
pub(super) const TIES: &[Binding] = &[
    foot(Action::Accept, ENTER, "goes there"),
    foot(Action::Earlier, &[key(KeyCode::Backspace)], "goes back"),
    foot(
        Action::NextField,
        &[key(KeyCode::Tab), key(KeyCode::BackTab), key(KeyCode::Left), key(KeyCode::Right)],
        "the other side",
    ),
    foot(Action::Down, &[key(KeyCode::Down), letter('j')], "moves"),
    foot(Action::Up, &[key(KeyCode::Up), letter('k')], ""),
    foot(Action::PageDown, &[key(KeyCode::PageDown)], ""),
    foot(Action::PageUp, &[key(KeyCode::PageUp)], ""),
    foot(Action::Leave, &[key(KeyCode::Esc), letter('h'), letter('q')], "closes"),
];

/// A link that has been closed.
pub(super) const CLOSED: &[Binding] = &[
    foot(Action::Leave, &[key(KeyCode::Enter), key(KeyCode::Esc), letter(' ')], "goes on"),
    foot(Action::JobSheet, &[letter('J')], "the job sheet"),
];

/// The devices' own screens, in the demo.
pub(super) const DEVICE_SCREENS: &[Binding] = &[
    foot(Action::Accept, ENTER, "does it"),
    foot(Action::Down, DOWN, "moves"),
    foot(Action::Up, UP, ""),
    foot(Action::NextField, &[key(KeyCode::Right), key(KeyCode::Tab)], "next device"),
    foot(Action::PreviousField, &[key(KeyCode::Left), key(KeyCode::BackTab)], ""),
    foot(Action::Leave, &[key(KeyCode::Esc), letter('t'), letter('q')], "back"),
];

/// The columns of the table.
pub(super) const COLUMNS: &[Binding] = &[
    foot(Action::Toggle, &[letter(' ')], "shows or hides"),
    foot(Action::Earlier, &[letter('+')], "moves it up"),
    foot(Action::Later, &[letter('-')], "down"),
    foot(Action::Reset, &[letter('0')], "as at first"),
    foot(Action::Down, &[key(KeyCode::Down), letter('j')], "moves"),
    foot(Action::Up, &[key(KeyCode::Up), letter('k')], ""),
    foot(Action::First, &[key(KeyCode::Home)], ""),
    foot(Action::Last, &[key(KeyCode::End)], ""),
    foot(Action::Leave, &[key(KeyCode::Esc), key(KeyCode::Enter)], "done"),
];

/// A note.
pub(super) const NOTE: &[Binding] = &[
    foot(Action::Accept, ENTER, "keeps it"),
    foot(Action::NextField, &[key(KeyCode::Tab), key(KeyCode::Down)], "for whom it holds"),
    foot(Action::PreviousField, &[key(KeyCode::BackTab), key(KeyCode::Up)], ""),
    foot(Action::Toggle, &[control('s')], "star"),
    foot(Action::Leave, ESC, "leaves everything as it was"),
];

/// A job.
pub(super) const JOB: &[Binding] = &[
    foot(Action::Accept, ENTER, "keeps it"),
    foot(Action::NextField, &[key(KeyCode::Tab), key(KeyCode::Down)], "field"),
    foot(Action::PreviousField, &[key(KeyCode::BackTab), key(KeyCode::Up)], ""),
    foot(Action::Leave, ESC, "leaves it as it was"),
];

/// A list of ids.
pub(super) const ID_LIST: &[Binding] =
    &[foot(Action::Accept, ENTER, "looks at what is typed, then marks"), foot(Action::Leave, ESC, "marks nothing")];

/// What avoids a part of what the tray does.
pub(super) const OTHER_WAYS: &[Binding] = &[
    foot(Action::Accept, ENTER, "does it"),
    foot(Action::Down, &[key(KeyCode::Down), letter('j')], "moves"),
    foot(Action::Up, &[key(KeyCode::Up), letter('k')], ""),
    foot(Action::First, &[key(KeyCode::Home)], ""),
    foot(Action::Last, &[key(KeyCode::End)], ""),
    foot(Action::Leave, ESC, "leaves the tray as it is"),
];

/// What else may work where a run was refused.
pub(super) const CHOICES: &[Binding] = &[
    foot(Action::Accept, ENTER, "does it"),
    foot(Action::Toggle, &[letter(' ')], "all of this kind, or one"),
    foot(Action::Down, &[key(KeyCode::Down), letter('j')], "moves"),
    foot(Action::Up, &[key(KeyCode::Up), letter('k')], ""),
    foot(Action::First, &[key(KeyCode::Home)], ""),
    foot(Action::Last, &[key(KeyCode::End)], ""),
    foot(Action::Leave, ESC, "leaves them as they are"),
];

/// All ways for a package, or for the tray.
pub(super) const WAYS: &[Binding] = &[
    foot(Action::Accept, ENTER, "takes it"),
    foot(Action::Toggle, &[letter(' ')], "this one, or all in the tray"),
    foot(Action::Down, &[key(KeyCode::Down), letter('j')], "moves"),
    foot(Action::Up, &[key(KeyCode::Up), letter('k')], ""),
    foot(Action::First, &[key(KeyCode::Home)], ""),
    foot(Action::Last, &[key(KeyCode::End)], ""),
    foot(Action::Leave, ESC, "leaves it as it is"),
];

/// What is to be opened on the device.
pub(super) const OPEN: &[Binding] = &[
    foot(Action::Accept, ENTER, "sends it"),
    foot(Action::Down, &[key(KeyCode::Down), letter('j')], "moves"),
    foot(Action::Up, &[key(KeyCode::Up), letter('k')], ""),
    foot(Action::First, &[key(KeyCode::Home)], ""),
    foot(Action::Last, &[key(KeyCode::End)], ""),
    foot(Action::Leave, ESC, "sends nothing"),
];

/// Kept searches.
pub(super) const SEARCHES: &[Binding] = &[
    foot(Action::Accept, ENTER, "searches"),
    foot(Action::Add, &[letter('+')], "keeps the search of now"),
    foot(Action::Remove, &[letter('-'), key(KeyCode::Delete)], "takes it out"),
    foot(Action::Down, &[key(KeyCode::Down), letter('j')], "moves"),
    foot(Action::Up, &[key(KeyCode::Up), letter('k')], ""),
    foot(Action::First, &[key(KeyCode::Home)], ""),
    foot(Action::Last, &[key(KeyCode::End)], ""),
    foot(Action::Leave, ESC, "closes"),
];

/// Writing the table to a file.
pub(super) const EXPORT: &[Binding] = &[
    foot(Action::Accept, ENTER, "writes it"),
    foot(Action::Down, &[key(KeyCode::Down), letter('j')], "moves"),
    foot(Action::Up, &[key(KeyCode::Up), letter('k')], ""),
    foot(Action::First, &[key(KeyCode::Home)], ""),
    foot(Action::Last, &[key(KeyCode::End)], ""),
    foot(Action::Leave, ESC, "writes nothing"),
];

/// Quitting while a run goes on.
pub(super) const QUIT: &[Binding] = &[
    foot(Action::Accept, &[letter('y')], "quit all the same"),
    foot(Action::Leave, &[letter('n'), key(KeyCode::Esc)], "stay"),
];
