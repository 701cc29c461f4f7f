//! Installing by sessions: `install-create`, `install-write`, `install-commit`. Source: `PackageManagerShellCommand`,
//! `PackageInstallerSession`, `Pm.java` of Android 5 to 8.1.

use super::files::{Contents, File, REGULAR};
use super::installed::{InstalledPackage, UserState};
use super::output::Output;
use super::sessions::InstallSession;
use super::state::State;
use crate::apk::{Head, head_of};
use crate::scenario::{SimKind, SimPackage};

fn failure(reason: &str) -> Output {
    Output { out: format!("Failure [{reason}]\n"), code: 1, ..Output::default() }
}

impl State {
    /// What of the input of a command it takes: so many bytes of it.
    pub(crate) fn takes_input(line: &str) -> Option<usize> {
        if let Some((_, rest)) = line.split_once("head -c ")
            && let Some((count, to)) = rest.split_once(' ')
            && to.starts_with('>')
        {
            return count.parse().ok();
        }
        let mut words = line.split_whitespace().skip_while(|word| *word != "install-write").skip(1);
        if words.next()? != "-S" {
            return None;
        }
        words.next()?.parse().ok()
    }

    /// `install-create`, `install-write`, `install-commit`, `install-abandon`.
    pub(crate) fn install_session(&mut self, command: &str, words: &[String]) -> Output {
        let plain: Vec<&str> = words.iter().map(String::as_str).collect();
        match command {
            "install-create" => {
                let after = |option: &str| plain.iter().skip_while(|w| **w != option).nth(1).copied();
                let user = after("--user").and_then(|user| user.parse().ok());
                if let Some(bad) = plain.iter().find(|w| **w == "--bypass-low-target-sdk-block")
                    && self.scenario.android.sdk < 34
                {
                    return Output::failed(1, format!("Error: Unknown option: {bad}\n"));
                }
                let size: u64 = after("-S").and_then(|size| size.parse().ok()).unwrap_or(0);
                if size > self.free_bytes {
                    return failure("INSTALL_FAILED_INSUFFICIENT_STORAGE");
                }
                self.last_session += 1;
                let number = 1_000_000 + self.last_session;
                let session = InstallSession { user, downgrade: plain.contains(&"-d"), ..InstallSession::default() };
                self.sessions.insert(number, session);
                Output::ok(format!("Success: created install session [{number}]\n"))
            }
            "install-write" => {
                // `-S BYTES SESSION NAME [-]`
                let [_, size, number, name, ..] = plain.as_slice() else {
                    return Output::failed(1, "Error: Invalid name or path\n");
                };
                let input = std::mem::take(&mut self.input);
                let number: u32 = number.parse().unwrap_or(0);
                let Some(session) = self.sessions.get_mut(&number) else {
                    return Output::failed(255, "java.lang.SecurityException: Caller has no access to session\n");
                };
                let size: usize = size.parse().unwrap_or(0);
                if input.len() < size {
                    return Output::failed(1, "Error: failed to write; EOF\n");
                }
                session.files.insert((*name).to_owned(), input[..size].to_vec());
                Output::ok(format!("Success: streamed {size} bytes\n"))
            }
            "install-abandon" => {
                let number: u32 = plain.first().and_then(|n| n.parse().ok()).unwrap_or(0);
                self.sessions.remove(&number);
                Output::ok("Success\n")
            }
            _ => {
                let number: u32 = plain.first().and_then(|n| n.parse().ok()).unwrap_or(0);
                match self.sessions.remove(&number) {
                    Some(session) => self.commit(session),
                    None => failure("INSTALL_FAILED_INTERNAL_ERROR: Session does not exist"),
                }
            }
        }
    }

    fn commit(&mut self, session: InstallSession) -> Output {
        let heads: Option<Vec<(Head, Vec<u8>)>> =
            session.files.into_values().map(|bytes| Some((head_of(&bytes)?, bytes))).collect();
        let Some(heads) = heads.filter(|heads| !heads.is_empty()) else {
            return failure("INSTALL_PARSE_FAILED_NOT_APK: Failed to parse session");
        };
        let Some(base) = heads.iter().find(|(head, _)| head.split.is_none()).map(|(head, _)| head.clone()) else {
            return failure("INSTALL_FAILED_INVALID_APK: Missing existing base package");
        };
        if heads.iter().any(|(head, _)| head.id != base.id || head.version_code != base.version_code) {
            return failure("INSTALL_FAILED_INVALID_APK: Split package or version code inconsistent");
        }
        let user = session.user.unwrap_or(0);
        let restricted = |user: u32| {
            let own = self.scenario.users.iter().find(|known| known.id == user);
            own.is_none_or(|own| own.restrictions.iter().any(|r| r == "no_install_apps"))
        };
        if restricted(user) {
            return failure("INSTALL_FAILED_USER_RESTRICTED: User restriction prevents installing");
        }
        if let Some(known) = self.packages.get(&base.id)
            && !known.code_gone
        {
            if known.data.refuses.as_deref() == Some("INSTALL_FAILED_UPDATE_INCOMPATIBLE") {
                return failure(&format!(
                    "INSTALL_FAILED_UPDATE_INCOMPATIBLE: Existing package {} signatures do not match newer version; ignoring!",
                    base.id
                ));
            }
            let own = self.version_code(&base.id);
            if own > base.version_code && !session.downgrade {
                return failure(&format!(
                    "INSTALL_FAILED_VERSION_DOWNGRADE: Downgrade detected: Update version code {} is older than current {own}",
                    base.version_code
                ));
            }
        }
        self.place(&base, user, heads);
        Output::ok("Success\n")
    }

    /// The version of what is installed.
    pub(crate) fn version_code(&self, id: &str) -> u32 {
        self.packages.get(id).map_or(0, |package| package.version_code(self.scenario.android.sdk))
    }

    /// Puts it where apps are, for a user.
    fn place(&mut self, base: &Head, user: u32, heads: Vec<(Head, Vec<u8>)>) {
        let folder =
            format!("/data/app/~~{:08x}==/{}-{:08x}==", self.last_session, base.id, self.last_session ^ 0x5a5a);
        for (head, bytes) in heads {
            let name = head.split.map_or_else(|| "base.apk".to_owned(), |split| format!("split_{split}.apk"));
            let file = File { mode: REGULAR | 0o644, time: 1_796_000_000, data: Contents::Bytes(bytes) };
            self.files.insert(format!("{folder}/{name}"), file);
        }
        let splits = self.files.keys().filter(|path| path.starts_with(&format!("{folder}/split_"))).count() > 0;
        let gone = self.gone.remove(&base.id);
        let uid = 10_000 + u32::try_from(self.packages.len()).unwrap_or(0) + self.last_session;
        let package = self.packages.entry(base.id.clone()).or_insert_with(|| {
            let data = gone.map_or_else(
                || SimPackage { id: base.id.clone(), kind: SimKind::User, ..SimPackage::default() },
                |package| package.data,
            );
            InstalledPackage::new(data, uid)
        });
        match package.data.kind {
            SimKind::System => {
                package.data.update = Some(folder);
            }
            _ => package.data.path = folder,
        }
        package.comes_apart = Some(splits);
        package.version_code = Some(base.version_code);
        package.data.version = Some(base.version.clone());
        package.code_gone = false;
        let users: Vec<u32> = self.scenario.users.iter().map(|known| known.id).collect();
        for known in users {
            package.users.entry(known).or_default();
        }
        let own = package.users.entry(user).or_default();
        *own = UserState { installed: true, enabled: own.enabled, ..UserState::default() };
        self.write_of_user(user);
    }
}
