//! What Android does not start without.

/// Why a package is never taken out. Without most of these the package service itself does not come up after the next start,
/// so nothing is left that could put them back: only a factory reset helps. Source: the constructor of
/// `PackageManagerService`, which throws where not exactly one system package of the first user answers.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord, serde::Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Essential {
    /// Android itself.
    Android,
    /// The user that debugging works as.
    Shell,
    /// It keeps the settings.
    Settings,
    /// It installs packages: the one that answers `INSTALL_PACKAGE`.
    Installer,
    /// It uninstalls packages: the one that answers `UNINSTALL_PACKAGE`.
    Uninstaller,
    /// It gives permissions: the one that answers `MANAGE_PERMISSIONS`.
    Permissions,
    /// The services extension.
    Services,
    /// The sandbox of advertisers' code, from Android 13 on.
    Sandbox,
    /// The terminal in which Wibbet runs, on the device itself.
    Ground,
}

impl Essential {
    /// What it is, in words.
    pub fn words(self) -> &'static str {
        match self {
            Self::Android => "it is Android itself",
            Self::Shell => "it is the hand with which debugging works, also when something is to be put back",
            Self::Settings => "it keeps Android's settings",
            Self::Installer => "it is the one that installs packages",
            Self::Uninstaller => "it is the one that uninstalls packages",
            Self::Permissions => "it is the one that gives permissions",
            Self::Services => "it is Android's services extension",
            Self::Sandbox => "it is the sandbox that Android's package service looks for",
            Self::Ground => "Wibbet itself runs in this app, and could put nothing back without it",
        }
    }

    /// Whether it is so for every user; else for the first one.
    pub(crate) fn is_for_all(self) -> bool {
        matches!(self, Self::Android | Self::Shell | Self::Ground)
    }
}
