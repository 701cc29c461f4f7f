//! What can be done by keys, and the views.

/// The views, in the order of work.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum View {
    Bench,
    Packages,
    Run,
    Shelf,
    Logbook,
}

impl View {
    pub(crate) const ALL: [Self; 5] = [Self::Bench, Self::Packages, Self::Run, Self::Shelf, Self::Logbook];

    pub(crate) fn name(self) -> &'static str {
        ["Bench", "Packages", "Run", "Shelf", "Logbook"][self as usize]
    }
}

/// Something that can be done on the screen.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Action {
    Show(View),
    NextView,
    FormerView,
    Up,
    Down,
    PageUp,
    PageDown,
    First,
    Last,
    GoOn,
    Back,
    Search,
    Mark,
    MarkFound,
    NextWay,
    NextUser,
    EmptyTray,
    Undo,
    Send,
    ToDisable,
    AllowNoWayBack,
    Stop,
    CarryOn,
    PutBack,
    Words,
    Details,
    Follow,
    Unfollow,
    Open,
    WholeSheet,
    CopyId,
    Star,
    Note,
    Sort,
    SortOtherWay,
    Columns,
    Searches,
    FromList,
    Languages,
    Export,
    ReadAgain,
    NextDevice,
    AddDevice,
    Pair,
    Guide,
    CloseLink,
    StayAwake,
    OwnScreens,
    Palette,
    SearchHelp,
    Help,
    Quit,
}
