//! What differs between the systems that the program runs on, as far as the program itself is concerned: one place for each matter.

use std::path::Path;
use std::sync::OnceLock;

use jiff::tz::TimeZone;

/// The kind of system.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum System {
    Linux,
    /// Android itself, in the terminal app of a phone, tablet or television: a Linux in which apps may do less.
    Phone,
    Windows,
    Mac,
    Other,
}

impl System {
    /// The one that the program runs on.
    pub(crate) fn here() -> Self {
        // Every process that Android starts knows where its system and its data are.
        let set = |name: &str| std::env::var_os(name).is_some_and(|value| !value.is_empty());
        let on_android = || set("ANDROID_ROOT") && set("ANDROID_DATA");
        match () {
            () if cfg!(windows) => Self::Windows,
            () if cfg!(target_os = "macos") => Self::Mac,
            () if cfg!(target_os = "linux") && on_android() => Self::Phone,
            () if cfg!(target_os = "linux") => Self::Linux,
            () => Self::Other,
        }
    }

    /// What a device on a cable takes before a program may open it, as lines to read. The rule for udev is not among them.
    pub(crate) fn of_cables(self) -> &'static [&'static str] {
        match self {
            Self::Linux => &[
                "put the following line into /etc/udev/rules.d/70-wibbet.rules as root, run `udevadm control --reload`, and plug the device in again:",
            ],
            Self::Phone => &[
                "an app on a phone, tablet or television gets no cables: devices are reached by wireless debugging or by an address",
            ],
            Self::Windows => &[
                "Windows needs no rule. A device that offers debugging gets the driver WinUSB by itself where the device asks for it, as newer ones do.",
                "Where it does not: open the Device Manager as an administrator, find the device's debugging interface (under “Other devices”, mostly with a yellow sign),",
                "choose “Update driver”, “Browse my computer for drivers”, “Let me pick from a list”, “Universal Serial Bus devices”, “WinUSB Device”,",
                "and plug the device in again. A driver of its maker that is no WinUSB has to go first: “Uninstall device”, with the tick that deletes the driver.",
            ],
            Self::Mac => &["macOS needs no rule and no driver: a device with debugging on can be opened as it is."],
            Self::Other => {
                &["no rule for this system is known: a device with debugging on may be open to you as it is."]
            }
        }
    }
}

/// The app in whose terminal the program runs, on a device that Android runs on.
pub(crate) fn own_app() -> Option<wibbet_types::PackageId> {
    let named = ["HOME", "TMPDIR", "PREFIX"].into_iter().filter_map(std::env::var_os).map(std::path::PathBuf::from);
    std::env::current_exe().ok().into_iter().chain(named).find_map(|path| wibbet_bench::ops::app_of(&path))
}

/// Who uses this computer, and how it is called: `user@host`, as a device keeps it beside the key.
pub(crate) fn user_at_host() -> String {
    let named =
        |names: &[&str]| names.iter().find_map(|name| std::env::var(name).ok().filter(|value| !value.is_empty()));
    let user = named(&["USER", "LOGNAME", "USERNAME"]).unwrap_or_else(|| "technician".into());
    format!("{user}@{}", host().or_else(|| named(&["COMPUTERNAME"])).unwrap_or_else(|| "bench".into()))
}

fn host() -> Option<String> {
    #[cfg(unix)]
    {
        let system = rustix::system::uname();
        let name = system.nodename().to_string_lossy().trim().to_owned();
        (!name.is_empty()).then_some(name)
    }
    #[cfg(not(unix))]
    None
}

/// The time zone of whoever sits here. Phones keep it where no other system looks; where it is not known, it is UTC.
pub(crate) fn time_zone() -> TimeZone {
    static ZONE: OnceLock<TimeZone> = OnceLock::new();
    let of_phone = || {
        let asked = std::process::Command::new("/system/bin/getprop").arg("persist.sys.timezone").output().ok()?;
        TimeZone::get(std::str::from_utf8(&asked.stdout).ok()?.trim()).ok()
    };
    let find = || match TimeZone::try_system() {
        Ok(zone) => zone,
        Err(_) if System::here() == System::Phone => of_phone().unwrap_or(TimeZone::UTC),
        Err(_) => TimeZone::UTC,
    };
    ZONE.get_or_init(find).clone()
}

/// A folder that goes when it is dropped: among the temporary files, or in `instead` where there is no place for those.
///
/// # Errors
/// Those of the system, for the second place.
pub(crate) fn passing_folder(prefix: &str, instead: &Path) -> std::io::Result<tempfile::TempDir> {
    let mut builder = tempfile::Builder::new();
    builder.prefix(prefix);
    builder.tempdir().or_else(|_| {
        wibbet_types::private_folder(instead)?;
        builder.tempdir_in(instead)
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_remark_beside_the_key_names_user_and_host() {
        let remark = user_at_host();
        let (user, host) = remark.split_once('@').unwrap();
        assert!(!user.is_empty() && !host.is_empty(), "{remark}");
    }

    #[test]
    fn every_system_says_what_cables_take() {
        for system in [System::Linux, System::Phone, System::Windows, System::Mac, System::Other] {
            assert!(system.of_cables().iter().all(|line| line.len() > 20), "{system:?}");
        }
        assert!(System::Windows.of_cables().concat().contains("WinUSB"));
        assert!(System::Linux.of_cables().concat().contains("udev"));
    }
}
