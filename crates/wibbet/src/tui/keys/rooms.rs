//! The keys of the rooms, as tables: everywhere, in each room, and in the small menu of its rarer actions. The order in a
//! table is that of the bottom line: what leads on comes first.

use crossterm::event::KeyCode;

use super::action::{Action, View};
use super::binding::{Binding, bind};
use super::key::{control, key, letter};

/// Catch, which is opened from the bench and from the shelf.
const CATCH: Binding = bind(
    Action::Catch,
    &[letter('C')],
    "Catch a device that does not start",
    "catch",
    "For a device that starts over and over: waits for it, and puts back what the last run took out in the moments in which it can be asked.",
);

/// What has changed, which is opened from the bench, the shelf and the logbook.
const CHANGES: Binding = bind(
    Action::Changes,
    &[letter('D')],
    "What has changed on the device",
    "what changed",
    "What is otherwise than at an earlier look at the device: what came back by itself, what is new, gone, off or in another version, and by whom.",
);

/// The life of a device, which is opened from the bench and the logbook.
const LIFE: Binding = bind(
    Action::Life,
    &[letter('L')],
    "The life of the device",
    "its life",
    "What has happened to the device, as far as the logbook knows: looks, runs, updates, breaks, and what changed by itself; written as PDF or SVG from there.",
);

/// What is the same in every room.
pub(super) const EVERYWHERE: &[Binding] = &[
    bind(
        Action::Stop,
        &[letter('x')],
        "Stop the run",
        "stop",
        "Stops the run: what is on its way is finished and read back. It can be carried on.",
    ),
    bind(
        Action::Pause,
        &[letter('P')],
        "Pause the run, or go on",
        "pause",
        "Has nothing more sent for now, once what is on its way is read back; again, goes on. The run stays open meanwhile.",
    ),
    bind(
        Action::UndoRun,
        &[letter('Z')],
        "Undo the last run",
        "",
        "Shows the plan that puts back everything of the last run that is still off.",
    ),
    bind(
        Action::Orders,
        &[letter('A')],
        "Orders: the same for several devices",
        "orders",
        "Opens the orders at hand: makes one of what is chosen, of a run or of what is off, holds one against the devices on the bench, and carries it out on several at once.",
    ),
    bind(
        Action::JobSheet,
        &[letter('J')],
        "The job sheet",
        "job sheet",
        "Shows the paper that goes with the device: of the job of the run that is shown, or of the latest one on the device; it is written as PDF or SVG from there.",
    ),
    bind(Action::NextDevice, &[letter('n')], "Next device", "next device", "Turns to the next device on the bench."),
    bind(
        Action::ReadAgain,
        &[letter('r')],
        "Read the packages again",
        "read again",
        "Reads the packages of the device again; without a link, tries it at once.",
    ),
    bind(
        Action::DeviceScreens,
        &[letter('t')],
        "The devices' own screens (demo)",
        "device's own screen",
        "In the demo: shows what the simulated devices themselves show, and does what their owner does there.",
    ),
    bind(
        Action::Menu,
        &[letter('.')],
        "More actions of this view",
        "more",
        "Opens a small menu of the rarer actions of this view; their letters work in it.",
    ),
    bind(Action::Palette, &[letter(':')], "All actions by name", "actions", "Opens the list of all actions by name."),
    bind(
        Action::SearchHelp,
        &[key(KeyCode::F(1))],
        "Help on searching",
        "",
        "Opens the page about searching, also while one types.",
    ),
    bind(Action::Help, &[letter('?')], "Help", "help", "Opens this help."),
    bind(
        Action::Quit,
        &[letter('q'), control('c')],
        "Quit",
        "quit",
        "Ends Wibbet; asks first while a run is being carried out.",
    ),
    bind(
        Action::Show(View::Bench),
        &[letter('1')],
        "Show the bench",
        "",
        "The devices at hand and how far their links have got.",
    ),
    bind(Action::Show(View::Packages), &[letter('2')], "Show the packages", "", "What is installed, and the tray."),
    bind(Action::Show(View::Run), &[letter('3')], "Show the run", "", "The plan before it is sent, and the run."),
    bind(Action::Show(View::Shelf), &[letter('4')], "Show the shelf", "", "What is off and can be put back."),
    bind(Action::Show(View::Logbook), &[letter('5')], "Show the logbook", "", "The runs so far."),
    bind(Action::NextView, &[key(KeyCode::Tab)], "Next view", "", "Goes to the next view."),
    bind(Action::PreviousView, &[key(KeyCode::BackTab)], "Previous view", "", "Goes to the view before."),
];

/// Moving over a list.
pub(super) const MOVING: &[Binding] = &[
    bind(Action::Up, &[key(KeyCode::Up), letter('k')], "Up", "", "One line up."),
    bind(Action::Down, &[key(KeyCode::Down), letter('j')], "Down", "", "One line down."),
    bind(Action::PageUp, &[key(KeyCode::PageUp)], "Page up", "", "A page up."),
    bind(Action::PageDown, &[key(KeyCode::PageDown)], "Page down", "", "A page down."),
    bind(Action::First, &[key(KeyCode::Home)], "First line", "", "To the first line."),
    bind(Action::Last, &[key(KeyCode::End)], "Last line", "", "To the last line."),
];

/// The bench.
pub(super) const BENCH: &[Binding] = &[
    bind(
        Action::Next,
        &[key(KeyCode::Enter)],
        "Go on",
        "to its packages",
        "Goes on to the packages of the device under the cursor.",
    ),
    bind(
        Action::CarryOn,
        &[letter('c')],
        "Carry on with the run",
        "carry on",
        "Carries on with a stopped or interrupted run; what was refused is not asked again.",
    ),
    bind(
        Action::AddDevice,
        &[letter('a')],
        "Add a device by address",
        "add device",
        "Adds a device by its address, HOST:PORT.",
    ),
    bind(
        Action::Pair,
        &[letter('p')],
        "Pair a device",
        "pair",
        "Pairs with a device for wireless debugging, by a QR code to scan or by the code that it shows.",
    ),
    bind(
        Action::Here,
        &[letter('H')],
        "This device itself",
        "this device",
        "Where Wibbet runs on a device itself: pairs with that device's own wireless debugging, and finds its port again.",
    ),
    bind(
        Action::Guide,
        &[letter('g')],
        "First steps",
        "first steps",
        "Shows how to get from nothing on the bench to a linked device.",
    ),
    CATCH,
    CHANGES,
    LIFE,
];

/// The packages.
pub(super) const PACKAGES: &[Binding] = &[
    bind(
        Action::Mark,
        &[letter(' ')],
        "Mark or unmark",
        "mark",
        "Puts the package under the cursor into the tray, or takes it out: to be uninstalled, or disabled where something needs it.",
    ),
    bind(
        Action::MarkForAll,
        &[letter('M')],
        "Mark for all users",
        "",
        "Puts the package under the cursor into the tray for each user who has it, or takes it out for all of them.",
    ),
    bind(
        Action::NextWay,
        &[letter('w')],
        "Change the way",
        "way",
        "Changes the way for the package under the cursor: uninstall, uninstall but keep its data, disable, suspend; what this device cannot is left out.",
    ),
    bind(
        Action::Ways,
        &[letter('W')],
        "All ways, for one or for all",
        "",
        "Shows every way for the package under the cursor or for all in the tray: also quietening, stopping, clearing; and why one cannot be had here.",
    ),
    bind(
        Action::Next,
        &[key(KeyCode::Enter)],
        "Go on",
        "plan",
        "Goes on to the plan for what is in the tray. Never sends anything.",
    ),
    bind(
        Action::Search,
        &[letter('/')],
        "Search",
        "search",
        "Searches as you type: words of label, id and notes, facts such as :disabled, comparisons such as :size>50M. Tab completes.",
    ),
    bind(
        Action::PutBack,
        &[letter('b')],
        "Put back",
        "put back",
        "Shows the plan that puts back the package under the cursor.",
    ),
    bind(Action::Undo, &[letter('z')], "Undo", "undo", "Takes back the last change to the tray."),
    bind(Action::Redo, &[letter('Y')], "Redo", "", "Does again what was taken back last of the tray."),
    bind(Action::NextUser, &[letter('u')], "Next user", "user", "Works on the next user or profile of the device."),
    bind(
        Action::MarkFound,
        &[letter('m')],
        "Mark all found",
        "mark found",
        "Puts every package that the search finds and that is in use into the tray.",
    ),
    bind(Action::EmptyTray, &[letter('e')], "Empty the tray", "empty tray", "Takes everything out of the tray."),
    bind(
        Action::Details,
        &[letter('i')],
        "Show details",
        "details",
        "Shows or hides what is known of the package under the cursor.",
    ),
    bind(
        Action::Ties,
        &[letter('h')],
        "Show what leans on what",
        "ties",
        "Draws who leans on the package under the cursor and whom it leans on, and goes from each to the next.",
    ),
    bind(
        Action::OtherWays,
        &[letter('o')],
        "Other ways for the tray",
        "other ways",
        "Shows what avoids a part of what the tray does: leaving some out, choosing another app first, disabling; and does it.",
    ),
    bind(
        Action::Follow,
        &[letter('f')],
        "Follow the device's screen",
        "on its screen",
        "Highlights the package that is on the device's screen while somebody touches the device; again, goes to it.",
    ),
    bind(
        Action::Everything,
        &[letter('I')],
        "Show everything known of the package",
        "all of it",
        "Shows everything known of the package under the cursor, and from where.",
    ),
    bind(
        Action::Star,
        &[letter('*')],
        "Star or unstar",
        "star",
        "Gives the package a star for all devices, or takes it away.",
    ),
    bind(
        Action::Sort,
        &[letter('>')],
        "Sort by the next column",
        "sort",
        "Sorts the table by the next of its columns, and in the end as it was.",
    ),
    bind(Action::SortOtherWay, &[letter('<')], "Sort the other way round", "", "Turns the order of the table round."),
    bind(Action::Back, &[key(KeyCode::Esc)], "Back", "clear search", "Clears the search."),
];

/// While a search line is being typed into.
pub(super) const SEARCH_LINE: &[Binding] = &[
    bind(
        Action::Accept,
        &[key(KeyCode::Enter)],
        "To the list",
        "to the list",
        "Keeps the search and goes to what it finds.",
    ),
    bind(Action::Leave, &[key(KeyCode::Esc)], "Clear the search", "clear", "Clears the search."),
    bind(Action::Up, &[key(KeyCode::Up)], "Up", "", "One line up: in what the word can become, or else in the list."),
    bind(
        Action::Down,
        &[key(KeyCode::Down)],
        "Down",
        "move",
        "One line down: in what the word can become, or else in the list.",
    ),
    bind(Action::PageUp, &[key(KeyCode::PageUp)], "Page up", "", "A page up in the list."),
    bind(Action::PageDown, &[key(KeyCode::PageDown)], "Page down", "", "A page down in the list."),
];

/// The same of packages, in which a word can become one of those that there are.
pub(super) const SEARCH_COMPLETES: &[Binding] = &[
    bind(
        Action::Complete,
        &[key(KeyCode::Tab)],
        "Complete",
        "completes a :fact",
        "Completes the word after a colon; where there is none, goes to the list.",
    ),
    bind(
        Action::SearchHelp,
        &[key(KeyCode::F(1))],
        "Help on searching",
        "how to search",
        "Opens the page about searching, also while one types.",
    ),
];

/// The run.
pub(super) const RUN: &[Binding] = &[
    bind(
        Action::Send,
        &[letter('s')],
        "Send the steps",
        "send",
        "Sends the steps of the plan that is shown. Nothing goes to a device before this key.",
    ),
    bind(
        Action::CarryOn,
        &[letter('c')],
        "Carry on with the run",
        "carry on",
        "Carries on with a stopped or interrupted run; what was refused is not asked again.",
    ),
    bind(
        Action::ToDisable,
        &[letter('d')],
        "Disable instead",
        "disable instead",
        "In a plan, turns uninstalling into disabling where it could not be undone; after a run, plans to disable what could not be uninstalled.",
    ),
    bind(
        Action::KeepData,
        &[letter('K')],
        "Keep their data",
        "keep data",
        "In a plan, changes whatever would drop an app's data to a way that keeps them: uninstalling with data kept where this Android can, else disabling.",
    ),
    bind(
        Action::Choices,
        &[letter('O')],
        "Other ways for what was refused",
        "other ways",
        "After a run, shows what else may work where the device refused: another way, a page to open on the device, once more; for all of a kind or for one.",
    ),
    bind(
        Action::PutBack,
        &[letter('b')],
        "Put back",
        "put back",
        "After a run, shows the plan that puts back the package under the cursor.",
    ),
    bind(
        Action::Undo,
        &[letter('z')],
        "Put all of it back",
        "put all back",
        "After a run, shows the plan that puts all of it back.",
    ),
    bind(
        Action::Requests,
        &[letter('v')],
        "Show the requests",
        "requests",
        "Shows under each step the request that goes to the device, and its answer.",
    ),
    bind(
        Action::Back,
        &[key(KeyCode::Esc)],
        "Back",
        "not now",
        "Leaves a plan that was not sent; nothing goes to the device.",
    ),
    bind(
        Action::OnRefusal,
        &[letter('R')],
        "Where one is refused",
        "if refused",
        "In a plan, chooses what is tried by itself where the device refuses a step: nothing, disable, suspend, or the one and then the other. What is tried keeps the app's data.",
    ),
];

/// The shelf.
pub(super) const SHELF: &[Binding] = &[
    bind(
        Action::Mark,
        &[letter(' ')],
        "Mark or unmark",
        "mark",
        "Marks what is under the cursor, to be put back with others.",
    ),
    bind(
        Action::MarkFound,
        &[letter('m')],
        "Mark the whole run",
        "mark the run",
        "Marks everything that was taken out by the same run, or was off before as it was; again, unmarks it.",
    ),
    bind(
        Action::PutBack,
        &[letter('b')],
        "Put back",
        "put back",
        "Shows the plan that puts back what is marked, or else what is under the cursor.",
    ),
    bind(
        Action::FindFault,
        &[letter('F')],
        "Find out what broke it",
        "fault finder",
        "For something that is broken since a run: puts some of the packages back, asks whether it is still broken, and goes on from that.",
    ),
    CATCH,
    bind(
        Action::UpdateBreak,
        &[letter('U')],
        "A break for a system update",
        "update break",
        "Before a system update: puts back everything that runs took out, and remembers it; behind it, chooses it again, but for what is tied otherwise than before.",
    ),
    CHANGES,
];

/// The logbook.
pub(super) const LOGBOOK: &[Binding] = &[
    bind(
        Action::Next,
        &[key(KeyCode::Enter)],
        "Go on",
        "open the run",
        "Opens the run under the cursor, with every step.",
    ),
    bind(
        Action::Search,
        &[letter('/')],
        "Search",
        "search",
        "Searches as you type: words of the ticket, the technician, the customer, the note, the device, the order and the packages.",
    ),
    bind(
        Action::Sort,
        &[letter('>')],
        "By day, or by device",
        "by device",
        "Puts the runs together by the device, or by the day again.",
    ),
    bind(Action::Back, &[key(KeyCode::Esc)], "Back", "clear search", "Clears the search."),
    LIFE,
    CHANGES,
];
