//! What a device tells, and does, while it starts over and over.

use std::time::Duration;

use tokio::time::Instant;

use super::output::Output;
use super::state::State;

/// So many starts that failed are one level of the system's own rescue: `RescueParty`, from Android 8 on.
pub(crate) const STARTS_OF_A_LEVEL: u32 = 5;

impl State {
    /// `service check NAME`: a native program, which asks whoever keeps the list of services.
    pub(super) fn service_check(&mut self, name: &str) -> Output {
        let up = match name {
            "package" => {
                let up = self.calls_until_ready == 0;
                self.calls_until_ready = self.calls_until_ready.saturating_sub(1);
                up
            }
            _ => self.looping.is_none(),
        };
        Output::ok(format!("Service {name}: {}\n", if up { "found" } else { "not found" }))
    }

    /// The system has died of what it could not be without.
    pub(crate) fn note_failed_start(&mut self) {
        // What is put back meanwhile counts from the next start on.
        if let Some(reason) = self.dying_of.take().or_else(|| self.dies_with()) {
            let head = "E/AndroidRuntime( 1391): ";
            // An app that is always there dies over and over, which ends as the system's own death does.
            self.crashes.push(match reason.split_once(": ").filter(|(process, _)| process.starts_with("com.")) {
                Some((process, reason)) => {
                    format!("{head}FATAL EXCEPTION: main\n{head}Process: {process}, PID: 1391\n{head}{reason}\n")
                }
                None => format!(
                    "{head}*** FATAL EXCEPTION IN SYSTEM PROCESS: main\n{head}{reason}\n{head}\tat com.android.server.SystemServer.main(SystemServer.java:632)\n"
                ),
            });
        }
        let within = Duration::from_secs(if self.scenario.android.sdk >= 30 { 600 } else { 300 });
        self.starts_failed.push(Instant::now());
        self.starts_failed.retain(|at| at.elapsed() <= within);
    }

    /// How many starts have failed shortly one after the other, as the system counts them.
    pub(crate) fn failed_starts(&self) -> u32 {
        u32::try_from(self.starts_failed.len()).unwrap_or(u32::MAX)
    }

    /// They count anew.
    pub(crate) fn forget_failed_starts(&mut self) {
        self.starts_failed.clear();
    }

    /// It begins to start, and what it dies of is settled by then.
    pub(crate) fn begin_dying(&mut self) {
        self.dying_of = self.dies_with();
    }

    /// Its package service has come up, or gone.
    pub(crate) fn service_is_up(&mut self, up: bool) {
        self.calls_until_ready = if up { 0 } else { u32::MAX };
        self.up_since = up.then(Instant::now);
    }

    /// Something is changed: the first time in a round it is noted how long the service had been up.
    pub(super) fn note_first_change(&mut self) {
        if let Some(since) = self.up_since.take() {
            self.changed_after.push(since.elapsed());
        }
    }

    /// How long the package service had been up when something was first changed, round by round.
    pub(crate) fn changed_after(&self) -> Vec<Duration> {
        self.changed_after.clone()
    }

    /// Whether its recovery asks now what is to become of it: “Can't load Android system”. After how many starts that is, makers'
    /// builds and versions do not agree.
    pub(crate) fn asks_for_a_reset(&self) -> bool {
        let most = match self.scenario.android.sdk {
            ..26 => return false,
            26..=30 => 20,
            31..=34 => 25,
            35 => 17,
            36.. => 7,
        };
        self.failed_starts() >= most
    }

    /// `logcat -b crash -d …`; with `-L` what was in it before the device started anew.
    pub(super) fn crash_log(&self, words: &[String]) -> Output {
        if self.log_is_kept_back {
            return Output::default();
        }
        let former = words.iter().any(|w| w == "-L");
        let kept = if former == self.kernel_loops { self.crashes.as_slice() } else { &[] };
        let last = &kept[kept.len().saturating_sub(20)..];
        Output::ok(format!("--------- beginning of crash\n{}", last.concat()))
    }
}
