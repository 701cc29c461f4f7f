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
    PreviousView,
    Up,
    Down,
    PageUp,
    PageDown,
    First,
    Last,
    Next,
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
    DespiteStart,
    KeepData,
    Stop,
    UndoRun,
    CarryOn,
    PutBack,
    Requests,
    Details,
    Follow,
    Unfollow,
    Open,
    Everything,
    Ties,
    OtherWays,
    CopyId,
    Star,
    Note,
    Sort,
    SortOtherWay,
    Columns,
    Searches,
    FromList,
    Languages,
    WorkOutSizes,
    Export,
    ReadAgain,
    NextDevice,
    AddDevice,
    Pair,
    Guide,
    CloseLink,
    StayAwake,
    TryChanges,
    DeveloperOptions,
    Restart,
    SwitchOnWireless,
    DeviceScreens,
    Menu,
    Palette,
    SearchHelp,
    Help,
    Quit,
    // In windows and in lines that are typed into.
    Accept,
    Leave,
    Complete,
    NextField,
    PreviousField,
    Toggle,
    Earlier,
    Later,
    Reset,
    Add,
    Remove,
    CloseNow,
    RestartNow,
    DespiteStartNow,
    KeepDebugging,
    Forget,
}
