//! What is on the device's screen, and what is opened there.

use super::output::Output;
use super::shell::Effect;
use super::state::State;
use crate::scenario::SimKind;

impl State {
    /// `dumpsys window` and `dumpsys activity activities`, the lines that tell what is in front.
    pub(crate) fn in_front(&self, windows: bool) -> Output {
        let (id, user) = &self.front;
        let sdk = self.scenario.android.sdk;
        let name = match sdk {
            ..29 => "mResumedActivity: ",
            29..31 => "ResumedActivity:",
            _ => "topResumedActivity=",
        };
        Output::ok(match windows {
            true => format!(
                "WINDOW MANAGER LAST ANR\n  <no ANR has occurred since boot>\n  mCurrentFocus=Window{{4f1c2d3 u{user} {id}/{id}.Main}}\n  mFocusedApp=ActivityRecord{{7a7a u{user} {id}/.Main t12}}\n"
            ),
            false => format!(
                "ACTIVITY MANAGER ACTIVITIES (dumpsys activity activities)\nDisplay #0\n    {name}ActivityRecord{{7a7a u{user} {id}/.Main t12}}\n"
            ),
        })
    }

    /// Somebody opens an app. False where there is none to open.
    pub(crate) fn show(&mut self, id: &str, user: u32) -> bool {
        let there = self.here(id, user);
        if there {
            self.front = (id.to_owned(), user);
            if let Some(package) = self.packages.get_mut(id) {
                package.stopped.remove(&user);
            }
            let event = self.front_event();
            self.events.send_modify(|events| events.push(event));
        }
        there
    }

    /// What the log of events has of what is in front now, without its tag: up to 7 with a token and a task, from 8 on with a
    /// reason.
    pub(crate) fn front_event(&self) -> String {
        let (id, user) = &self.front;
        match self.scenario.android.sdk {
            ..26 => format!("[{user},205823444,31,{id}/.Main]"),
            _ => format!("[{user},{id}/.Main,resumeTopActivityInnerLocked]"),
        }
    }

    /// `logcat -b events -v raw -T 1 TAG:I… *:S`: the last event, and those to come. Where none of the tags is one of this
    /// version nothing comes.
    pub(super) fn logcat(&self, words: &[String]) -> (Output, Effect) {
        let tag = match self.scenario.android.sdk {
            ..26 => "am_resume_activity:I",
            26..29 => "am_set_resumed_activity:I",
            _ => "wm_set_resumed_activity:I",
        };
        let is = |at: usize, word: &str| words.get(at).is_some_and(|w| w == word);
        if !(is(0, "-b") && is(1, "events") && is(2, "-v") && is(3, "raw") && is(4, "-T")) {
            return (Output::failed(1, "logcat: Unrecognized Option\n"), Effect::None);
        }
        if self.log_is_kept_back || !words.iter().any(|w| w == tag) {
            return (Output { hangs: true, ..Output::default() }, Effect::None);
        }
        (Output::ok(format!("--------- beginning of events\n{}\n", self.front_event())), Effect::Events)
    }

    /// Some apps with icons, for somebody to touch.
    pub(crate) fn touchable(&self) -> Vec<String> {
        // What somebody installed comes first, then some of what was there.
        let of = |kind: SimKind| {
            let icons = self.packages.iter().filter(move |(id, p)| {
                crate::catalogue::labels::has_icon(id)
                    && self.here(id, 0)
                    && p.data.kind == kind
                    && *id != &self.front.0
            });
            icons.filter(move |(_, p)| kind == SimKind::User || p.uid % 23 == 0).map(|(id, _)| id.clone())
        };
        of(SimKind::User).chain(of(SimKind::System)).take(6).collect()
    }

    /// `am start …`.
    pub(crate) fn start_activity(&mut self, words: &[String]) -> Output {
        let after =
            |name: &str| words.iter().position(|w| w == name).and_then(|n| words.get(n + 1)).map(String::as_str);
        let user = after("--user").and_then(|u| u.parse().ok()).unwrap_or(0);
        let details = after("-a").is_some_and(|a| a.trim_start_matches("com.").starts_with("android.settings."));
        let target = match (details, after("-n"), after("-p")) {
            (true, ..) => "com.android.settings",
            (_, Some(component), _) => component.split('/').next().unwrap_or(""),
            (.., Some(package)) => package,
            _ => "",
        }
        .to_owned();
        let target =
            if details && !self.packages.contains_key(&target) { "com.android.tv.settings".into() } else { target };
        let opens = details || crate::catalogue::labels::has_icon(&target);
        if opens && self.show(&target, user) {
            return Output::ok(format!("Starting: Intent {{ act=android.intent.action.MAIN pkg={target} }}\n"));
        }
        Output {
            out: format!("Starting: Intent {{ pkg={target} }}\n"),
            err: "Error: Activity not started, unable to resolve Intent\n".into(),
            ..Output::default()
        }
    }
}
