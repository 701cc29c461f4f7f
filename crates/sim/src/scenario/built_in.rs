//! The devices that come with the program.

use super::format::Scenario;

impl Scenario {
    /// The same device with Android 8.1, and what the daemon of that version announces.
    pub fn with_android_8_1(mut self) -> Self {
        self.android.sdk = 27;
        self.android.release = "8.1.0".into();
        self.android.patch = "2019-03-05".into();
        self.protocol.features = ["cmd", "shell_v2", "stat_v2"].map(str::to_owned).to_vec();
        self.protocol.max_data = 256 * 1024;
        self
    }

    /// The API levels that [`of_level`](Self::of_level) has, with the names of their releases.
    pub const LEVELS: [(u32, &str); 10] = [
        (22, "5.1.1"),
        (23, "6.0.1"),
        (25, "7.1.2"),
        (27, "8.1.0"),
        (28, "9"),
        (30, "11"),
        (31, "12"),
        (34, "14"),
        (35, "15"),
        (36, "16"),
    ];

    /// A device of an API level: one of those that there are, with the words of that version; `None` for a level that is not
    /// one of [`LEVELS`](Self::LEVELS).
    pub fn of_level(sdk: u32) -> Option<Self> {
        let (_, release) = Self::LEVELS.iter().find(|(level, _)| *level == sdk)?;
        let mut scenario = match sdk {
            ..24 => {
                let mut old = Self::spare_handset();
                // What only its maker's build has.
                old.extra_commands.clear();
                old
            }
            27 => Self::store_phone(),
            24..28 => Self::crew_phone().with_android_8_1(),
            28 => Self::lost_phone(),
            29..31 => Self::waiting_room_tv(),
            31..34 => Self::desk_tablet(),
            36.. => Self::boxed_tablet(),
            34.. => Self::crew_phone(),
        };
        scenario.second_switch_off = false;
        (scenario.android.sdk, scenario.android.release) = (sdk, (*release).into());
        Some(scenario)
    }

    /// The same device as a build whose shell may enable and disable packages, which that of Android 7 was the first to.
    #[must_use]
    pub fn with_a_shell_that_disables(mut self) -> Self {
        self.shell_disables = Some(true);
        self
    }

    /// The crew phone: Corvane Tarn 5, Android 14, with a work profile.
    pub fn crew_phone() -> Self {
        Self::built_in(include_str!("../../scenarios/crew-phone.toml"))
    }

    /// The spare handset: Ostrel Pocket, Android 6, with the old command set.
    pub fn spare_handset() -> Self {
        Self::built_in(include_str!("../../scenarios/spare-handset.toml"))
    }

    /// The ticket-desk tablet: Ostrel Slate 11, Android 12, two users.
    pub fn desk_tablet() -> Self {
        Self::built_in(include_str!("../../scenarios/desk-tablet.toml"))
    }

    /// The waiting-room TV: Tarnbek Vista 43, Android 11, by network address.
    pub fn waiting_room_tv() -> Self {
        Self::built_in(include_str!("../../scenarios/waiting-room-tv.toml"))
    }

    /// The lost-property phone: Corvane Rill 2, Android 9, with a second switch that is off and a locked-away profile.
    pub fn lost_phone() -> Self {
        Self::built_in(include_str!("../../scenarios/lost-phone.toml"))
    }

    /// The seventh-hand phone: Tarnbek Go, Android 15, by wireless debugging, to be paired.
    pub fn seventh_hand() -> Self {
        Self::built_in(include_str!("../../scenarios/seventh-hand.toml"))
    }

    /// The store-room phone: Corvane Rill 3, Android 8.1.
    pub fn store_phone() -> Self {
        Self::built_in(include_str!("../../scenarios/store-phone.toml"))
    }

    /// The new-in-box tablet: Ostrel Slate 16, Android 16.
    pub fn boxed_tablet() -> Self {
        Self::built_in(include_str!("../../scenarios/boxed-tablet.toml"))
    }

    /// Parts of the open-source system that none of these devices starts without, or that nobody can do without on it.
    pub const VITAL: [&str; 8] = [
        "android",
        "com.android.ext.services",
        "com.android.packageinstaller",
        "com.android.permissioncontroller",
        "com.android.providers.settings",
        "com.android.sdksandbox",
        "com.android.shell",
        "com.android.systemui",
    ];

    /// The devices of the demo workshop, by the name that the command line takes.
    pub fn all() -> Vec<(&'static str, Self)> {
        vec![
            ("crew-phone", Self::crew_phone()),
            ("desk-tablet", Self::desk_tablet()),
            ("waiting-room-tv", Self::waiting_room_tv()),
            ("lost-phone", Self::lost_phone()),
            ("spare-handset", Self::spare_handset()),
            ("seventh-hand", Self::seventh_hand()),
            ("store-phone", Self::store_phone()),
            ("boxed-tablet", Self::boxed_tablet()),
        ]
    }

    #[expect(clippy::expect_used, reason = "the files are part of the program and read in its tests")]
    fn built_in(text: &str) -> Self {
        Self::read(text).expect("a built-in scenario reads")
    }
}
