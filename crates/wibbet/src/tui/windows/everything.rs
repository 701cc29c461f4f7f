//! Everything that is known of one package, and from where.

use ratatui::Frame;
use ratatui::style::Style;
use ratatui::text::{Line, Span};
use wibbet_core::android::permission_words;
use wibbet_core::catalog::{Attribute, CatalogEntry};
use wibbet_core::package::{Source, given_words};
use wibbet_types::{bytes_words, counted};

use super::form::{ALL, Flow, Form};
use super::page::Page;
use crate::tui::app::{App, DeviceModel};
use crate::tui::keys::{Action, Layer};
use crate::tui::message::Effect;
use crate::tui::widgets::{Scroll, Theme, capitalize, fit, width, wrap};

/// Everything that is known of the package under the cursor.
#[derive(Debug, Clone, Default)]
pub(crate) struct Everything(Scroll);

/// Lines with a heading in front.
struct Listing<'a> {
    lines: Vec<Line<'a>>,
    cells: usize,
    head: Style,
    plain: Style,
    dim: Style,
}

impl Listing<'_> {
    fn part(&mut self, title: &str, from: &str) {
        self.lines.push(Line::raw(""));
        let mut from = wrap(from, self.cells.saturating_sub(width(title) + 2)).into_iter();
        self.lines.push(Line::from(vec![
            Span::styled(title.to_owned(), self.head),
            Span::styled(
                from.next().filter(|from| !from.is_empty()).map(|from| format!("  {from}")).unwrap_or_default(),
                self.dim,
            ),
        ]));
        let indent = " ".repeat(width(title) + 2);
        self.lines.extend(from.map(|from| Line::styled(format!("{indent}{from}"), self.dim)));
    }

    fn fact(&mut self, name: &str, value: &str) {
        for (n, line) in wrap(value, self.cells.saturating_sub(18)).into_iter().enumerate() {
            let name = if n == 0 { name } else { "" };
            self.lines.push(Line::from(vec![
                Span::styled(format!("  {} ", fit(name, 15)), self.dim),
                Span::styled(line, self.plain),
            ]));
        }
    }
}

/// What ties it, what shows that, and by which names others find it.
fn tell_holds(list: &mut Listing<'_>, entry: &CatalogEntry<'_>) {
    list.part("Holds", "worked out of manifests, choices, accounts, use and what is known of Android");
    match entry.judgement {
        None => list.fact("", "nothing: it is off, or it has not been worked out"),
        Some(judgement) => {
            list.fact("it is", judgement.verdict().name());
            list.fact("stops", &judgement.stops());
            for hold in &judgement.holds {
                let shown: Vec<String> =
                    hold.evidence.iter().map(|one| format!("{} ({})", one.text, one.source)).collect();
                let class = hold.class.map(|class| format!(", class {class}")).unwrap_or_default();
                list.fact(hold.kind.name(), &format!("{}, {}{class}: {}", hold.what, hold.sure, shown.join("; ")));
            }
        }
    }
    let Some(declared) = entry.app.map(|app| &app.declared).filter(|declared| declared.read) else { return };
    let names: Vec<&str> = declared.parts.iter().flat_map(|part| &part.names).map(String::as_str).collect();
    if !names.is_empty() {
        list.fact("found by", &names.join(", "));
    }
    let asks = declared.asks_actions.iter().chain(&declared.asks_authorities).map(String::as_str);
    let asks: Vec<&str> = asks.chain(declared.asks_packages.iter().map(|id| id.as_str())).collect();
    if !asks.is_empty() {
        list.fact("talks to", &asks.join(", "));
    }
}

fn lines<'a>(device: Option<&DeviceModel>, theme: &Theme, cells: usize) -> Vec<Line<'a>> {
    let Some(device) = device else { return Vec::new() };
    let Some(entry) = device.under_cursor().and_then(|id| device.entry(id)) else { return Vec::new() };
    let Some(catalog) = &device.catalog else { return Vec::new() };
    let (package, about) = (entry.package, &entry.package.about);
    let mut list = Listing {
        lines: vec![
            Line::styled(entry.name().text.into_owned(), theme.strong),
            Line::styled(package.id.to_string(), theme.plain),
        ],
        cells,
        head: theme.accent,
        plain: theme.plain,
        dim: theme.dim,
    };
    list.part("Name", "from the APK's manifest and resource table");
    match entry.app {
        Some(app) => {
            let label = app.label.as_ref().map_or("none", |l| l.as_str());
            let locale =
                if app.locale.is_empty() { "no language in particular".to_owned() } else { app.locale.to_string() };
            list.fact("label", &format!("{label} ({locale})"));
            if let Some(why) = &app.trouble {
                list.fact("not read", why.as_str());
            }
            for entry in &app.home {
                let name = entry.label.as_ref().or(app.label.as_ref()).map_or("", |l| l.as_str());
                list.fact("home screen", &format!("{name}: {}", entry.class));
            }
            if app.home.is_empty() {
                list.fact("home screen", "no entry");
            }
            let [activities, services, receivers, providers] = app.parts.map(|n| n as usize);
            let parts = [
                counted(activities, "activity", "activities"),
                counted(services, "service", "services"),
                counted(receivers, "receiver", "receivers"),
                counted(providers, "provider", "providers"),
            ];
            list.fact("parts", &parts.join(", "));
            if let Some(target) = &app.overlay_of {
                list.fact("overlay of", target.as_str());
            }
            if !app.libraries.is_empty() {
                let names: Vec<&str> = app.libraries.iter().map(|l| l.as_str()).collect();
                list.fact("libraries", &names.join(", "));
            }
        }
        None => list.fact("", "not read yet"),
    }
    list.part("State", "dumpsys package");
    for user in &catalog.inventory.users {
        list.fact(&format!("user {}", user.id), &format!("{}: {}", user.name, package.condition(user.id).word()));
    }
    for column in [
        Attribute::FROM,
        Attribute::VERSION,
        Attribute::TARGET,
        Attribute::UID,
        Attribute::INSTALLER,
        Attribute::CAME,
        Attribute::UPDATED,
    ] {
        list.fact(column.title, said(column.words(&entry).as_deref()));
    }
    if let Some(code) = about.version_code {
        list.fact("version code", &code.to_string());
    }
    if let Some(shared) = &about.shared_user {
        list.fact("shares uid as", shared.as_str());
    }
    tell_holds(&mut list, &entry);
    list.part("Files", "dumpsys package, list packages -f");
    let with_size = |path: &str| match catalog.names.files.get(path) {
        Some(size) => format!("{path} ({})", bytes_words(*size)),
        None => path.to_owned(),
    };
    let base = package.apk.as_ref().or(package.path.as_ref());
    list.fact("base", &base.map_or_else(|| "not reported".to_owned(), |p| with_size(p.as_str())));
    for split in &about.splits {
        let path = package.split_path(split).map_or_else(|| split.clone(), |p| with_size(p.as_str()));
        list.fact("part", &path);
    }
    for (source, columns) in [
        (Source::Sizes, &[Attribute::CODE, Attribute::DATA, Attribute::CACHE][..]),
        (Source::Memory, &[Attribute::MEMORY]),
        (Source::Running, &[Attribute::RUNNING]),
        (Source::Usage, &[Attribute::IDLE, Attribute::USE]),
    ] {
        let title = columns.first().map_or("", |c| c.title);
        let title = if source == Source::Sizes { "size" } else { title };
        list.part(&capitalize(title), source.words());
        match catalog.why_not(source) {
            Some(why) => list.fact("not reported", &why),
            None => {
                let shared = entry.may_run_in().filter(|_| matches!(source, Source::Memory | Source::Running));
                for column in columns {
                    let words = match (column.words(&entry), shared) {
                        (None, Some(process)) => format!("not told: it may live in {process}, with others of its user"),
                        (words, _) => said(words.as_deref()).to_owned(),
                    };
                    list.fact(column.title, &words);
                }
            }
        }
    }
    list.part("Permissions", &format!("dumpsys package, for {}", device.user_words(device.user())));
    for (given, title) in [(true, "has"), (false, "asks for")] {
        let these: Vec<&str> =
            about.requests.iter().map(AsRef::as_ref).filter(|p| about.may(p, device.user()) == given).collect();
        for permission in these.iter().filter(|p| permission_words(p).is_some()) {
            let words = permission_words(permission).unwrap_or("");
            list.fact(title, &format!("{words} ({})", permission.rsplit('.').next().unwrap_or("")));
        }
        let others: Vec<&str> = these.iter().copied().filter(|p| permission_words(p).is_none()).collect();
        if !others.is_empty() {
            list.fact(title, &others.join(", "));
        }
    }
    if about.requests.is_empty() {
        list.fact("", "it asks for none, or the device does not report that");
    }
    let chosen = about.chosen.get(&device.user()).map_or(&[][..], Vec::as_slice);
    if !chosen.is_empty() {
        list.fact("given", &given_words(chosen));
    }
    if !about.declares.is_empty() {
        list.fact("declares", &about.declares.join(", "));
    }
    if !entry.notes.is_empty() {
        list.part("Notes", "from the logbook");
        for note in entry.notes {
            list.fact(note.scope.word(), &format!("{}{}", if note.star { "★ " } else { "" }, note.text));
        }
    }
    list.lines
}

/// What is known to be nothing looks other than what is not known.
fn said(value: Option<&str>) -> &str {
    match value {
        None => "not reported",
        Some("") => "none",
        Some(value) => value,
    }
}

/// The page about the package under the cursor.
fn page(app: &App, then: impl FnOnce(&Page<'_>)) {
    let device = app.device();
    let lines = |theme: &Theme, cells: usize| lines(device, theme, cells);
    then(&Page { title: " Everything known ", columns: 110, keys: (Layer::Everything, ALL), lines: &lines });
}

impl Form for Everything {
    const OPENED_BY: Action = Action::Everything;

    fn open(_app: &mut App, _out: &mut Vec<Effect>) -> Option<Self> {
        Some(Self::default())
    }

    fn layer(&self) -> Layer {
        Layer::Everything
    }

    fn act(&mut self, app: &mut App, action: Action, out: &mut Vec<Effect>) -> Flow {
        if action == Action::CopyId {
            out.extend(app.device().and_then(|d| d.under_cursor()).map(|id| Effect::Copy(id.to_string())));
        }
        let mut flow = Flow::Stay;
        page(app, |page| flow = page.act(&mut self.0, app, action));
        flow
    }

    fn draw(&self, app: &App, theme: &Theme, frame: &mut Frame<'_>) {
        page(app, |page| page.draw(self.0, app, theme, frame));
    }
}
