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
    "Catch a device that does not start any more",
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
        Action::Guide,
        &[letter('g')],
        "First steps",
        "first steps",
        "Shows how to get from nothing on the bench to a linked device.",
    ),
    CATCH,
    CHANGES,
];

/// The same in the menus of two rooms.
const JOB: Binding = bind(
    Action::Job,
    &[letter('j')],
    "Technician, ticket, note",
    "job",
    "Writes down who does this, the ticket, and a note for the customer: of the run that is shown, or of every run on the device from now on.",
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
        "Bring a file from the device, or to it",
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

/// While the search line is being typed into.
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

/// Rarer actions on the shelf.
pub(super) const SHELF_MENU: &[Binding] = &[
    bind(
        Action::OfferCopy,
        &[letter('o')],
        "Offer its copy to other devices of the model",
        "offer its copy",
        "Lets the copy of an app that is kept here be installed on other devices of the same model, where it is offered when an app is installed; again, keeps it for this device.",
    ),
    bind(Action::CopyId, &[letter('y')], "Copy the id", "copy id", "Copies the id of the package to the clipboard."),
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
    CHANGES,
];
