//! Why a device refuses, read from its words.

/// Why a device refused, read from its answer.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum Refusal {
    /// The package is not installed for the user, or the user is not there.
    NotInstalled,
    /// The device does not know the package.
    Unknown,
    /// The package belongs to those that Android itself protects.
    Protected,
    /// An administrator app, mostly of a company, is active in it.
    Administrator,
    /// A policy of the company or of the owner forbids changes for this user.
    UserRestricted,
    /// The owner of the device or profile has blocked it.
    OwnerBlocked,
    /// Another package uses it as a library.
    SharedLibrary,
    /// It is pinned to the screen.
    Pinned,
    /// The maker's second switch for changes over debugging is off.
    SecondSwitch,
    /// The user is locked away from debugging.
    UserLocked,
    /// Leaving this state takes root.
    NeedsRoot,
    /// The shell of this version, or of this build, has not got the permission to enable and disable.
    MayNotDisable,
    /// The maker's build does not let packages of the system be disabled.
    MakersList,
    /// Android keeps it from being suspended.
    NotSuspended,
    /// It was broken off.
    Aborted,
    /// A policy or a maker's switch forbids installing for this user.
    MayNotInstall,
    /// What is installed is signed by somebody else.
    OtherSigner,
    /// A newer version is installed.
    Downgrade,
    /// There is no room for it.
    NoRoom,
    /// It needs a newer Android, or another processor.
    NotForThisDevice,
    /// It was made for an Android so old that this one does not install it.
    TooOldATarget,
    /// It is no APK, or not all of its parts are there.
    BadApk,
    /// Something that checks apps did not let it pass.
    NotVerified,
    /// The partition cannot be written.
    ReadOnly,
    /// The service has no such command on this version.
    NoSuchCommand,
    /// The package service is not up yet.
    NotReady,
    /// The package manager itself failed.
    Internal,
    /// A number of the maker's own.
    MakersCode,
    /// Something that is not known yet.
    Other,
}

impl Refusal {
    /// What it means, in words.
    pub fn meaning(self) -> &'static str {
        match self {
            Self::NotInstalled => "it is not installed for this user",
            Self::Unknown => "the device does not know this package",
            Self::Protected => "Android itself protects this package",
            Self::Administrator => "it is an active device administrator",
            Self::UserRestricted => "a policy forbids changes to apps for this user",
            Self::OwnerBlocked => "the owner of the device or work profile has blocked it",
            Self::SharedLibrary => "another package uses it as a library",
            Self::Pinned => "it is pinned to the screen",
            Self::SecondSwitch => "the maker's second switch for changes over debugging is off",
            Self::UserLocked => "debugging is forbidden for this user",
            Self::NeedsRoot => "leaving this state takes root",
            Self::MayNotDisable => "debugging may not enable or disable apps on this device",
            Self::MakersList => "the maker's build does not let it be disabled",
            Self::NotSuspended => {
                "Android does not let it be suspended: home screens, diallers, administrators and whatever installs or checks apps are kept from it"
            }
            Self::Aborted => "the device broke it off",
            Self::MayNotInstall => "installing is forbidden for this user",
            Self::OtherSigner => "the app that is installed is signed by somebody else",
            Self::Downgrade => "a newer version of it is installed",
            Self::NoRoom => "there is no room for it on the device",
            Self::NotForThisDevice => "it needs a newer Android or another processor",
            Self::TooOldATarget => "it was made for an Android so old that this one does not install it",
            Self::BadApk => "it is no APK, or not all of its parts are there",
            Self::NotVerified => "the device's check of apps did not let it pass",
            Self::ReadOnly => "the partition of the system cannot be written on this device",
            Self::NoSuchCommand => "this version of Android has no such command or option",
            Self::NotReady => "the package service is not up yet",
            Self::Internal => "the package manager itself failed",
            Self::MakersCode => "the maker's build refuses it with a number of its own",
            Self::Other => "it gave an answer that is not known yet",
        }
    }

    /// What may work instead.
    pub fn advice(self) -> &'static str {
        match self {
            Self::NotInstalled => "read the packages again",
            Self::Unknown => "check the id; read the packages again",
            Self::Protected => "uninstalling for the user may work where disabling does not",
            Self::Administrator => {
                "on the device, look for “Device admin apps” in the security settings and switch it off there"
            }
            Self::UserRestricted => "ask whoever manages the device; another user may be free of it",
            Self::OwnerBlocked => "ask whoever manages the device",
            Self::SharedLibrary => "take out the packages that use it first",
            Self::Pinned => "unpin it on the device: hold Back and Overview",
            Self::SecondSwitch => {
                "in the developer options, under “USB debugging”, switch on the maker's second switch for changes, then retry"
            }
            Self::UserLocked => "whoever manages that user can lift it; other users are free of it",
            Self::NeedsRoot => "change it on the device, in the app's settings page",
            Self::MayNotDisable => {
                "uninstalling for the user may work; some makers have a second switch for it in the developer options"
            }
            Self::MakersList => "uninstalling for the user may work, and so may suspending",
            Self::NotSuspended => "uninstalling or disabling may work",
            Self::Aborted => "retry",
            Self::MayNotInstall => {
                "some makers have a switch for installing over USB in the developer options; else ask whoever manages the device"
            }
            Self::OtherSigner => "uninstall the one that is there for all users first; its data go with it",
            Self::Downgrade => "keep the newer one, or uninstall it for all users first",
            Self::NoRoom => "make room on the device, then retry",
            Self::NotForThisDevice => "look for a build of the app that is made for this device",
            Self::TooOldATarget => "look for a newer build of the app",
            Self::BadApk => "give all parts that belong together, the base among them",
            Self::NotVerified => "unlock the screen and answer what it asks, then retry",
            Self::ReadOnly => {
                "a partition that is verified at the start stays as it is; disabling or hiding as root keeps it off as well"
            }
            Self::NoSuchCommand => "what can't be had this way needs the APK",
            Self::NotReady => "wait until the device has started, then retry",
            Self::Internal | Self::MakersCode => "disabling instead of uninstalling may work",
            Self::Other => "the answer is kept in the logbook word for word",
        }
    }
}

/// Words that mean a refusal, most telling first. Sources: `PackageManagerService.setEnabledSetting`,
/// `DeletePackageHelper`, `PackageManagerShellCommand`, `Pm.java` of Android 5 to 8.1; makers' words where it says so.
pub(crate) const REFUSALS: &[(&str, Refusal)] = &[
    ("DELETE_FAILED_DEVICE_POLICY_MANAGER", Refusal::Administrator),
    ("Read-only file system", Refusal::ReadOnly),
    ("DELETE_FAILED_USER_RESTRICTED", Refusal::UserRestricted),
    ("DELETE_FAILED_OWNER_BLOCKED", Refusal::OwnerBlocked),
    ("DELETE_FAILED_USED_SHARED_LIBRARY", Refusal::SharedLibrary),
    ("DELETE_FAILED_APP_PINNED", Refusal::Pinned),
    ("DELETE_FAILED_ABORTED", Refusal::Aborted),
    ("DELETE_FAILED_INTERNAL_ERROR", Refusal::Internal),
    ("INSTALL_FAILED_USER_RESTRICTED", Refusal::MayNotInstall),
    ("INSTALL_FAILED_UPDATE_INCOMPATIBLE", Refusal::OtherSigner),
    ("INSTALL_FAILED_SHARED_USER_INCOMPATIBLE", Refusal::OtherSigner),
    ("INSTALL_FAILED_VERSION_DOWNGRADE", Refusal::Downgrade),
    ("INSTALL_FAILED_INSUFFICIENT_STORAGE", Refusal::NoRoom),
    ("INSTALL_FAILED_MEDIA_UNAVAILABLE", Refusal::NoRoom),
    ("INSTALL_FAILED_DEPRECATED_SDK_VERSION", Refusal::TooOldATarget),
    ("INSTALL_FAILED_OLDER_SDK", Refusal::NotForThisDevice),
    ("INSTALL_FAILED_NO_MATCHING_ABIS", Refusal::NotForThisDevice),
    ("INSTALL_FAILED_MISSING_SPLIT", Refusal::BadApk),
    ("INSTALL_FAILED_INVALID_APK", Refusal::BadApk),
    ("INSTALL_PARSE_FAILED", Refusal::BadApk),
    ("INSTALL_FAILED_VERIFICATION", Refusal::NotVerified),
    ("Cannot disable a protected package", Refusal::Protected),
    // A maker's.
    ("Cannot disable system packages", Refusal::MakersList),
    // Android 8 on; before in the other words.
    ("Attempt to change component state", Refusal::SecondSwitch),
    ("Permission Denial: attempt to change component state", Refusal::MayNotDisable),
    // Somebody would have to agree on the screen: so it answers where the shell has not got the permission.
    ("Failure [null]", Refusal::SecondSwitch),
    ("has android.permission.MANAGE_USERS", Refusal::NeedsRoot),
    ("Neither user 2000 nor current process has ", Refusal::SecondSwitch),
    ("does not have permission to access user", Refusal::UserLocked),
    ("Shell cannot change component state", Refusal::NeedsRoot),
    ("not installed for", Refusal::NotInstalled),
    ("NameNotFoundException", Refusal::Unknown),
    ("Unknown package", Refusal::Unknown),
    ("doesn't exist", Refusal::Unknown),
    ("Unknown command", Refusal::NoSuchCommand),
    ("unknown command", Refusal::NoSuchCommand),
    ("Error: Unknown option", Refusal::NoSuchCommand),
];
