//! Apps that fail since something is off, as the log of events tells it.

use std::time::Duration;

use tokio::time::Instant;

use super::clock::{LoggedEvent, moment};
use super::output::Output;
use super::state::State;
use crate::scenario::BreakKind;

/// People open an app that fails again and again.
const FAILS_AGAIN_AFTER: Duration = Duration::from_secs(20);

impl State {
    /// Whatever fails now that did not before is in the log from now on. An app that asks a provider names its authority; of
    /// anything else it finds nothing where something was. Sources: `EventLogTags.logtags` of the activity manager (`am_crash`:
    /// user, process id, process, flags, exception, message, file, line), `ContentResolver`.
    fn log_what_fails(&mut self) {
        let now = self.clock();
        for broken in self.broken() {
            let Some(rule) = self.rule_of(&broken.what) else { continue };
            if broken.kind != BreakKind::Need {
                continue;
            }
            let fails: Vec<&String> = rule.1.iter().filter(|id| self.here(id, broken.user)).collect();
            for id in fails {
                let failing = (id.clone(), broken.user, broken.what.clone());
                if self.failed.get(&failing).is_some_and(|at| at.elapsed() < FAILS_AGAIN_AFTER) {
                    continue;
                }
                self.failed.insert(failing, Instant::now());
                let lost = rule.0.iter().find(|id| broken.mended_by.contains(id));
                let authority = lost.and_then(|id| {
                    let declared = self.scenario.declared(id);
                    declared.into_iter().find_map(|part| part.one("authority").map(str::to_owned))
                });
                let text = match authority {
                    Some(authority) => format!(
                        "[{},4711,{id},545832517,java.lang.IllegalArgumentException,Unknown URL content://{authority}/now,ContentResolver.java,1935]",
                        broken.user
                    ),
                    None => format!(
                        "[{},4711,{id},545832517,java.lang.NullPointerException,Attempt to invoke virtual method 'void {id}.Link.send(int)' on a null object reference,Main.java,88]",
                        broken.user
                    ),
                };
                self.logged.push(LoggedEvent { at: now, tag: "am_crash", text });
            }
        }
    }

    /// The packages that a rule is about: those that it needs, and those that fail without.
    fn rule_of(&self, what: &str) -> Option<(Vec<String>, Vec<String>)> {
        let rule = crate::catalogue::consequences::rule(&self.scenario, what)?;
        Some((rule.none.clone(), rule.only_while.clone()))
    }

    /// `logcat -b events -d -v brief [-T 'MM-DD HH:MM:SS.mmm'] am_crash:I am_anr:I *:S`.
    pub(super) fn logged_failures(&mut self, words: &[String]) -> Output {
        self.log_what_fails();
        let since = words.iter().position(|w| w == "-T").and_then(|at| words.get(at + 1));
        let wanted = |tag: &str| words.iter().any(|w| w.split(':').next() == Some(tag));
        if self.log_is_kept_back {
            return Output::default();
        }
        let mut out = String::from("--------- beginning of events\n");
        for event in self.logged.iter().filter(|event| wanted(event.tag)) {
            let at = moment(event.at);
            if since.is_none_or(|since| at[5..] >= since[..since.len().min(14)]) {
                out.push_str(&format!("I/{}( 1234): {}\n", event.tag, event.text));
            }
        }
        Output::ok(out)
    }
}
