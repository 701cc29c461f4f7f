//! What is known of the package under the cursor.

use ratatui::Frame;
use ratatui::layout::Rect;
use ratatui::style::Style;
use ratatui::text::Line;
use ratatui::widgets::Paragraph;
use wibbet_core::catalog::{Attribute, Column, LastUse, Value};
use wibbet_core::holds::{HoldKind, HoldSource, Judgement, UsedBy, Verdict};
use wibbet_core::package::{Condition, Inventory};
use wibbet_core::plan::{Change, Reversal, TrayItem};
use wibbet_core::run::Origin;
use wibbet_types::Timestamp;

use super::tray::tray_plan;
use crate::tui::app::{App, DeviceModel};
use crate::tui::widgets::{Theme, capitalize, glyph, truncate, width, wrap};

/// Packages that are named of those that lean on one.
const MOST_NAMED: usize = 4;

/// Cells of each of their names.
const MOST_CELLS: usize = 20;

/// What ties a package: what stops without it, then each hold with what shows it and what would lift it.
fn tell_holds(
    device: &DeviceModel,
    judgement: &Judgement,
    clock: impl Fn(Timestamp) -> String,
    theme: &Theme,
    say: &mut impl FnMut(&str, Style),
) {
    match judgement.verdict() {
        Verdict::Held => say(&format!("Without it stops: {}", judgement.stops()), theme.strong),
        Verdict::Free => say("Free: everything that could tie it was read, and nothing does.", theme.plain),
        Verdict::Unread => {
            let all = device.evidence.iter().filter_map(|evidence| evidence.judged.get(&device.user()));
            let missing = all.flat_map(|judged| &judged.unread).chain(&judgement.unread);
            let missing: Vec<&str> = missing.map(|source: &HoldSource| source.name()).collect();
            say(&format!("Nothing was found that ties it; not read: {}.", missing.join(", ")), theme.plain);
        }
    }
    for hold in &judgement.holds {
        let class = hold.class_words().map(|words| format!(", {words}")).unwrap_or_default();
        say(&format!("{} · {} ({}{class})", hold.kind, hold.what, hold.sure), theme.accent);
        if hold.kind == HoldKind::Need && !hold.by.is_empty() {
            let mut who: Vec<String> = hold.by.iter().take(MOST_NAMED).map(|id| device.name_of(id)).collect();
            if hold.by.len() > MOST_NAMED {
                who.push(format!("{} more", hold.by.len() - MOST_NAMED));
            }
            leading_here(&who).into_iter().for_each(|line| say(&line, theme.plain));
        }
        for evidence in &hold.evidence {
            say(&format!("  {}", evidence.text), theme.dim);
        }
        if let Some(lift) = &hold.lifted_by {
            say(&format!("  lifted: {lift}"), theme.dim);
        }
    }
    if let (false, Some(evidence)) = (judgement.holds.is_empty(), &device.evidence) {
        say(&format!("As read at {}.", clock(evidence.read)), theme.dim);
    }
    if let Some(words) = used_now(device, judgement) {
        say(&words, theme.dim);
    }
}

/// Who uses parts of it at the moment, in words; nothing where nobody was seen to.
fn used_now(device: &DeviceModel, judgement: &Judgement) -> Option<String> {
    let name = |by: &UsedBy| match by {
        UsedBy::System => "the system".to_owned(),
        UsedBy::Package(id) => device.name_of(id),
    };
    let mut who: Vec<String> = judgement.used_by.iter().take(MOST_NAMED).map(name).collect();
    if judgement.used_by.len() > MOST_NAMED {
        who.push(format!("{} more", judgement.used_by.len() - MOST_NAMED));
    }
    (!who.is_empty() && !judgement.says_who_uses_it()).then(|| format!("In use at the moment by {}.", who.join(", ")))
}

/// A small drawing of who leans on something.
fn leading_here(who: &[String]) -> Vec<String> {
    let who: Vec<String> = who.iter().map(|name| truncate(name, MOST_CELLS)).collect();
    let longest = who.iter().map(|name| width(name)).max().unwrap_or(0);
    let line = |(n, name): (usize, &String)| {
        let end = match (n, n + 1 == who.len()) {
            (0, true) => "─▸ leans on it",
            (0, false) => "┐",
            (_, false) => "┤",
            (_, true) => "┴▸ lean on it",
        };
        format!("  {name} ─{}{end}", "─".repeat(longest - width(name)))
    };
    who.iter().enumerate().map(line).collect()
}

pub(super) fn draw(
    app: &App,
    device: &DeviceModel,
    inventory: &Inventory,
    theme: &Theme,
    frame: &mut Frame<'_>,
    area: Rect,
) {
    let cells = usize::from(area.width).saturating_sub(3);
    let mut lines: Vec<Line<'_>> = Vec::new();
    if let Some(package) = device.under_cursor().and_then(|id| inventory.packages.get(id)) {
        let mut say =
            |text: &str, style: Style| lines.extend(wrap(text, cells).into_iter().map(|l| Line::styled(l, style)));
        let entry = device.entry(&package.id);
        if let Some(entry) = &entry {
            let name = entry.name();
            say(&name.text, theme.strong);
            if name.guessed {
                let why = match (&entry.app.and_then(|a| a.trouble.as_ref()), &device.reading) {
                    (Some(why), _) => format!("a guess from the id: {why}"),
                    (None, Some(_)) => "a guess from the id; its label is being read".to_owned(),
                    (None, None) => "a guess from the id; its label was not read".to_owned(),
                };
                say(&why, theme.dim);
            }
        }
        say(package.id.as_str(), theme.plain);
        let version = if package.version.as_str().is_empty() {
            "no version".into()
        } else {
            format!("version {}", package.version)
        };
        let kind = match package.kind {
            // It comes and goes with the module only.
            wibbet_core::package::PackageKind::System if package.partition() == "apex" => {
                "part of a module of Android".to_owned()
            }
            wibbet_core::package::PackageKind::System => format!("system app on {}", package.partition()),
            wibbet_core::package::PackageKind::UpdatedSystem => "system app, updated since".to_owned(),
            wibbet_core::package::PackageKind::User => "installed by somebody".to_owned(),
            wibbet_core::package::PackageKind::Library => "library that came with an app".to_owned(),
        };
        say(&format!("{kind} · {version}"), theme.dim);
        if let Some(entry) = &entry {
            let fact = |column: Column| column.words(entry).filter(|w| !w.is_empty());
            let mut facts = Vec::new();
            facts.extend(fact(Attribute::SIZE).map(|w| format!("{w} on disk")));
            facts.extend(fact(Attribute::MEMORY).map(|w| format!("{w} of memory")));
            facts.extend(entry.last_use().map(|last| match last {
                LastUse::NoneSince(_) => match entry.use_since() {
                    Some(since) => format!("not used since {}", since.date()),
                    None => "no use is remembered".to_owned(),
                },
                LastUse::Ago { days: 0 | 1, .. } => format!("last used {}", Value::LastUse(last).words()),
                LastUse::Ago { .. } => format!("last used {} ago", Value::LastUse(last).words()),
            }));
            if !facts.is_empty() {
                say(&facts.join(" · "), theme.plain);
            }
            if entry.app.is_some_and(|a| a.label.is_some() && a.home.is_empty()) {
                say("It has no icon on the home screen.", theme.dim);
            }
            if package.condition(device.user()) == Condition::InUse {
                say("", theme.plain);
                match (entry.judgement, &device.reading) {
                    (Some(judgement), _) => tell_holds(device, judgement, |time| app.clock(time), theme, &mut say),
                    (None, Some(_)) => say("What ties it is worked out when all has been read.", theme.dim),
                    (None, None) => say("What ties it has not been worked out.", theme.dim),
                }
            }
            let may: Vec<&str> = {
                let has = package.about.requests.iter().filter(|p| package.about.may(p, device.user()));
                has.filter_map(|p| wibbet_core::android::permission_words(p)).collect()
            };
            if !may.is_empty() {
                say("", theme.plain);
                say(&format!("It may {}.", may.join("; ")), theme.dim);
            }
            let elsewhere = device.catalog.as_ref().and_then(|catalog| catalog.elsewhere.get(&package.id));
            if let Some(elsewhere) = elsewhere {
                say(&elsewhere.words(), theme.plain);
            }
            for note in entry.notes {
                let star = if note.star { "★ " } else { "" };
                say(&format!("{star}{} ({})", note.text, note.scope.word()), theme.accent);
            }
        }
        say("", theme.plain);
        for user in &inventory.users {
            let state = package.state(user.id);
            let condition = state.condition();
            let words = format!("{} {} for {}", glyph(condition), condition.word(), device.user_words(user.id));
            say(&words, theme.condition(condition));
            if let Some(way) = device.chosen(&package.id, user.id) {
                say(&format!("→ {}", way.label()), theme.accent);
            }
        }
        let plan = tray_plan(
            device,
            inventory,
            &[TrayItem { id: package.id.clone(), user: device.user(), way: Change::Uninstall }],
        );
        say("", theme.plain);
        if package.state(device.user()).installed {
            let never = super::tray::never(device, inventory, &package.id, device.user());
            match plan.steps.first().map(|s| s.back).filter(|_| never.is_none()) {
                Some(Reversal::Exact) => say("If it is uninstalled, it can be put back as it was.", theme.dim),
                Some(Reversal::Approximate(why)) => say(&format!("If it is uninstalled, {why}."), theme.plain),
                Some(Reversal::Impossible(why)) => {
                    say(&format!("If it is uninstalled, there is no way back from here: {why}."), theme.alert)
                }
                None => {
                    if let Some(why) = never {
                        say(&format!("{}.", capitalize(&why.to_string())), theme.plain);
                    }
                }
            }
        }
        for entry in device.shelf.entries.iter().filter(|e| e.id == package.id) {
            let who = device.user_words(entry.user);
            match entry.origin {
                Origin::Run { number, begun } => {
                    say(&format!("Taken out by run {number}, {}, for {who}.", app.clock(begun)), theme.plain)
                }
                Origin::Before => say(&format!("Off for {who} before Wibbet."), theme.plain),
            }
        }
    }
    let beside = area.x > 0;
    let inside = if beside {
        let bar = vec![Line::styled("│", theme.dim); usize::from(area.height)];
        frame.render_widget(Paragraph::new(bar), Rect { width: 1, ..area });
        Rect { x: area.x + 2, width: area.width - 2, ..area }
    } else {
        let rule = Line::styled("─".repeat(usize::from(area.width)), theme.dim);
        frame.render_widget(Paragraph::new(rule), Rect { height: 1, ..area });
        Rect {
            x: area.x + 1,
            y: area.y + 1,
            width: area.width.saturating_sub(1),
            height: area.height.saturating_sub(1),
        }
    };
    frame.render_widget(Paragraph::new(lines), inside);
}
