//! `wibbet doctor`: whether this bench has what it takes, and what to do where it has not. Nothing is sent to any device.

use std::io::IsTerminal as _;
use std::path::Path;
use std::time::Duration;

use serde::Serialize;
use wibbet_adb::KeyRing;
use wibbet_bench::around::{Route, Sighting, Surroundings};
use wibbet_logbook::Logbook;

use crate::exit::{Exit, Failure};
use crate::export::json;
use crate::out::line;
use crate::place::Folders;
use crate::system::System;

/// For so long cables and announcements are looked at.
const LOOKED_FOR: Duration = Duration::from_millis(1500);

/// One thing that a bench needs.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
struct Check {
    name: &'static str,
    /// Whether it is so; null where that is not known, or is no matter of right or wrong.
    holds: Option<bool>,
    /// What is so.
    words: String,
    /// What to do about it, where there is something.
    #[serde(rename = "do")]
    todo: Option<String>,
}

impl Check {
    fn so(name: &'static str, words: impl Into<String>) -> Self {
        Self { name, holds: Some(true), words: words.into(), todo: None }
    }

    fn told(name: &'static str, words: impl Into<String>) -> Self {
        Self { name, holds: None, words: words.into(), todo: None }
    }

    fn not(name: &'static str, words: impl Into<String>, todo: impl Into<String>) -> Self {
        Self { name, holds: Some(false), words: words.into(), todo: Some(todo.into()) }
    }
}

#[derive(Serialize)]
struct Doctor {
    checks: Vec<Check>,
}

/// What the bench is configured with.
fn settings(folder: &Path) -> Check {
    let file = folder.join(crate::config::FILE);
    match crate::config::Config::read(folder).and_then(|config| config.sheet_words(None)) {
        Ok(_) if file.exists() => Check::so("settings", format!("read from {}", file.display())),
        Ok(_) => Check::told("settings", "none are written down: the defaults are used"),
        Err(failure) => {
            Check::not("settings", failure.message, "mend the file; `wibbet config` tells when it can be read")
        }
    }
}

/// Looks at this computer.
pub(crate) async fn doctor(surroundings: &Surroundings, as_json: bool) -> Result<Exit, Failure> {
    let folders = Folders::find().map_err(Failure::trouble)?;
    let mut checks = vec![
        folder("configuration", &folders.configuration),
        settings(&folders.configuration),
        folder("data", &folders.data),
        key(&folders.configuration),
        logbook(&folders.data),
    ];
    let seen = surroundings.look(LOOKED_FOR, |_| false).await;
    checks.extend(cables(surroundings, &seen));
    checks.extend(other_program(surroundings).await);
    checks.push(announcements(surroundings, &seen));
    checks.extend(terminal());
    if as_json {
        json::print(&Doctor { checks: checks.clone() });
    } else {
        for check in &checks {
            let sign = match check.holds {
                Some(true) => "ok     ",
                Some(false) => "MISSING",
                None => "       ",
            };
            line(format_args!("{sign}  {:<14} {}", check.name, check.words));
            if let Some(todo) = &check.todo {
                line(format_args!("                         {todo}"));
            }
        }
    }
    Ok(if checks.iter().any(|check| check.holds == Some(false)) { Exit::Partly } else { Exit::Done })
}

/// Whether a folder can be written, or made.
fn folder(name: &'static str, at: &Path) -> Check {
    let first = at.ancestors().find(|folder| folder.exists());
    let Some(first) = first else {
        return Check::not(
            name,
            format!("{} cannot be made", at.display()),
            "set WIBBET_HOME to a folder of your choice",
        );
    };
    match tempfile::tempfile_in(first) {
        Ok(_) if first == at => Check::so(name, at.display().to_string()),
        Ok(_) => Check::so(name, format!("{}, made at first use", at.display())),
        Err(why) => Check::not(
            name,
            format!("{} cannot be written: {why}", first.display()),
            "make it writable, or set WIBBET_HOME to a folder of your choice",
        ),
    }
}

fn key(configuration: &Path) -> Check {
    let at = configuration.join(KeyRing::OWN);
    match at.exists() {
        true => Check::so("key", format!("this computer's key is {}", at.display())),
        false => Check::told("key", "this computer has no key yet; it is made when the first device is linked"),
    }
}

fn logbook(data: &Path) -> Check {
    match Logbook::open_to_look(data) {
        Ok(None) => Check::told("logbook", "none yet; it is begun with the first device"),
        Ok(Some(book)) => match book.runs(None) {
            Ok(runs) => Check::so("logbook", format!("{}, {} runs", book.path().display(), runs.len())),
            Err(why) => Check::not("logbook", why.to_string(), "keep a copy of it, and see what else uses its disk"),
        },
        Err(why) => Check::not("logbook", why.to_string(), "keep a copy of it, and see what else uses its disk"),
    }
}

/// The devices on cables, and whether this user may open them.
fn cables(surroundings: &Surroundings, seen: &[Sighting]) -> Vec<Check> {
    if surroundings.bus.is_none() {
        return vec![Check::told("cables", "not looked at")];
    }
    if System::here() == System::Phone {
        return System::Phone.of_cables().iter().map(|words| Check::told("cables", *words)).collect();
    }
    let mut checks = Vec::new();
    for sighting in seen {
        let Route::Cable(place) = &sighting.route else { continue };
        let what = format!("{} {} at USB {place}", sighting.name, sighting.serial);
        let node = format!("/dev/bus/usb/{:0>3}/{:0>3}", place.bus, place.number);
        // Opening the node takes nothing from whoever uses the device.
        let opened = std::fs::OpenOptions::new().read(true).write(true).open(&node);
        checks.push(match opened {
            Err(why) if why.kind() == std::io::ErrorKind::PermissionDenied => Check::not(
                "cables",
                format!("{what}: this user may not open {node}"),
                "`wibbet usb-rule` prints a rule that permits it, and where to put it",
            ),
            Ok(_) => Check::so("cables", what),
            // It has gone since, or this is another system.
            Err(_) if System::here() == System::Linux => {
                Check::told("cables", format!("{what}: it has gone meanwhile"))
            }
            Err(_) => Check {
                todo: Some("`wibbet usb-rule` says what this system needs, should it not be opened".into()),
                ..Check::told("cables", format!("{what}: whether it may be opened shows when it is linked"))
            },
        });
    }
    if checks.is_empty() {
        checks.push(Check::told("cables", "no device with debugging, and none that looks like a phone, is on a cable"));
    }
    checks
}

/// Another program's debugging server, which may hold the devices on cables.
async fn other_program(surroundings: &Surroundings) -> Option<Check> {
    let at = surroundings.server.as_ref()?;
    let answers = tokio::time::timeout(Duration::from_millis(500), tokio::net::TcpStream::connect(at)).await;
    Some(match answers {
        Ok(Ok(_)) => Check::told(
            "other programs",
            format!(
                "another program's debugging server is at {at}; it may hold devices on cables, and Wibbet goes through it then"
            ),
        ),
        _ => Check::so("other programs", format!("none is at {at}")),
    })
}

fn announcements(surroundings: &Surroundings, seen: &[Sighting]) -> Check {
    match (&surroundings.announced, surroundings.gaps.first()) {
        (_, Some(why)) => Check::not(
            "network",
            format!("what devices announce cannot be heard: {why}"),
            "devices can be named by address (--at HOST:PORT); a firewall has to let UDP port 5353 in",
        ),
        (None, None) => Check::told("network", "not listened to"),
        (Some(_), None) => {
            let count = seen.iter().filter(|one| !matches!(one.route, Route::Cable(_) | Route::Server(_))).count();
            Check::so("network", format!("announcements are listened for; {count} heard just now"))
        }
    }
}

fn terminal() -> Vec<Check> {
    let mut checks = Vec::new();
    let texts = ["LC_ALL", "LC_CTYPE", "LANG"].into_iter().filter_map(|name| std::env::var(name).ok());
    // Elsewhere a terminal is asked for letters by other ways than a locale.
    let by_locale = matches!(System::here(), System::Linux | System::Mac | System::Other);
    checks.extend(by_locale.then(|| match texts.into_iter().find(|text| !text.is_empty()) {
        Some(locale) if is_utf8(&locale) => Check::so("characters", locale),
        locale => Check::not(
            "characters",
            format!("the locale is {}, not one with UTF-8", locale.as_deref().unwrap_or("not set")),
            "set LANG to one, such as C.UTF-8: lines and signs of the screen are drawn with it",
        ),
    }));
    if !std::io::stdout().is_terminal() {
        checks.push(Check::told("terminal", "standard output is none"));
        return checks;
    }
    checks.push(match crossterm::terminal::size() {
        Ok((columns, lines)) if columns >= 80 && lines >= 24 => Check::so("terminal", format!("{columns}×{lines}")),
        // As narrow as a phone's own: one pane at a time, and words for a finger.
        Ok((columns, lines)) if (38..60).contains(&columns) && lines >= 18 => Check::so(
            "terminal",
            format!("{columns}×{lines}, as narrow as a phone's: one part at a time, to be tapped"),
        ),
        Ok((columns, lines)) => Check::not(
            "terminal",
            format!("{columns}×{lines}"),
            "80×24 is the least for all of it to be seen, and 160×45 where it is at its best",
        ),
        Err(why) => Check::told("terminal", format!("its size is not known: {why}")),
    });
    checks
}

fn is_utf8(locale: &str) -> bool {
    let locale = locale.to_ascii_lowercase();
    locale.contains("utf-8") || locale.contains("utf8")
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_folder_that_cannot_be_written_says_what_to_do() {
        let home = tempfile::tempdir().unwrap();
        assert_eq!(folder("data", home.path()).holds, Some(true));
        let deep = home.path().join("not/there/yet");
        let there = folder("data", &deep);
        assert!(there.holds == Some(true) && there.words.contains("made at first use") && !deep.exists(), "{there:?}");
        let file = home.path().join("file");
        std::fs::write(&file, "x").unwrap();
        let bad = folder("data", &file.join("below"));
        assert!(bad.holds == Some(false) && bad.todo.is_some(), "{bad:?}");
    }

    #[test]
    fn locales() {
        assert!(is_utf8("de_DE.UTF-8") && is_utf8("C.utf8") && !is_utf8("C") && !is_utf8("de_DE.ISO-8859-1"));
    }
}
