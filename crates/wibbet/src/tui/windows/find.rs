//! The windows around the table: everything of one package, columns, notes, lists of ids, and the like.

use ratatui::Frame;
use ratatui::style::Style;
use ratatui::text::{Line, Span};
use ratatui::widgets::Paragraph;
use wibbet_core::android::permission_words;
use wibbet_core::catalog::Column;
use wibbet_core::package::{Scope, Source};
use wibbet_types::bytes_words;

use crate::tui::app::{DeviceModel, IdsForm, Model, NoteForm, Window};
use crate::tui::offers::{EXPORTS, column_list, openings};
use crate::tui::rooms::under_cursor;
use crate::tui::widgets::{Theme, cut, first_shown, fit, window, wrap};

pub(crate) fn draw(model: &Model, popup: &Window, theme: &Theme, frame: &mut Frame<'_>) {
    let Some(device) = model.device() else { return };
    match popup {
        Window::Everything { from } => sheet(device, *from, theme, frame),
        Window::Columns { at } => columns(model, *at, theme, frame),
        Window::Note(form) => note(device, form, theme, frame),
        Window::Ids(form) => ids(device, form, theme, frame),
        Window::Open { at } => open(device, *at, theme, frame),
        Window::Searches { at } => searches(model, device, *at, theme, frame),
        Window::Languages { input, trouble } => {
            let mut lines =
                vec![Line::raw("Languages, most wanted first, such as “de en-GB”. Empty: the device's own.")];
            lines.push(Line::from(vec![Span::styled("⟩ ", theme.accent), Span::styled(input.value(), theme.strong)]));
            lines.push(Line::raw(""));
            lines.push(match trouble {
                Some(why) => Line::styled(why.clone(), theme.alert),
                None => Line::styled("Enter reads the labels again in these; Esc leaves them as they are.", theme.dim),
            });
            let inside = window(frame, theme, " Language of labels ", 80, 6);
            frame.render_widget(Paragraph::new(lines), inside);
            let x = inside.x + 2 + u16::try_from(input.visual_cursor()).unwrap_or(0);
            frame.set_cursor_position((x.min(inside.right().saturating_sub(1)), inside.y + 1));
        }
        Window::Export { at } => {
            let inside = window(frame, theme, " Export the table ", 72, EXPORTS.len() as u16 + 6);
            let cells = usize::from(inside.width);
            let mut lines: Vec<Line<'_>> = EXPORTS
                .iter()
                .enumerate()
                .map(|(n, (words, _, all))| {
                    let count = device
                        .sheet
                        .as_ref()
                        .map_or(0, |s| if *all { s.inventory.packages.len() } else { device.found.len() });
                    let line = Line::raw(format!(" {} {count} packages", fit(words, 30)));
                    if n == *at { under_cursor(line, theme, cells) } else { line }
                })
                .collect();
            lines.push(Line::raw(""));
            let words = "Written into the folder that Wibbet was started in, under a name that is not taken. Enter writes, Esc does not.";
            lines.extend(wrap(words, cells).into_iter().map(|l| Line::styled(l, theme.dim)));
            frame.render_widget(Paragraph::new(lines), inside);
        }
        _ => {}
    }
}

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
        self.lines.push(Line::from(vec![
            Span::styled(title.to_owned(), self.head),
            Span::styled(if from.is_empty() { String::new() } else { format!("  {from}") }, self.dim),
        ]));
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

fn sheet(device: &DeviceModel, from: usize, theme: &Theme, frame: &mut Frame<'_>) {
    let Some(sight) = device.under_cursor().and_then(|id| device.sight(id)) else { return };
    let Some(sheet) = &device.sheet else { return };
    let size = frame.area();
    let (columns, rows) = (110.min(size.width.saturating_sub(2)), size.height.saturating_sub(2));
    let inside = window(frame, theme, " Everything known · ↑↓ moves, y copies the id, Esc closes ", columns, rows);
    let (package, about) = (sight.package, &sight.package.about);
    let mut list = Listing {
        lines: vec![Line::styled(sight.name().0, theme.strong), Line::styled(package.id.to_string(), theme.plain)],
        cells: usize::from(inside.width),
        head: theme.accent,
        plain: theme.plain,
        dim: theme.dim,
    };
    list.part("Name", "from the APK's manifest and resource table");
    match sight.app {
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
            let [activities, services, receivers, providers] = app.parts;
            list.fact(
                "parts",
                &format!("{activities} activities, {services} services, {receivers} receivers, {providers} providers"),
            );
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
    for user in &sheet.inventory.users {
        list.fact(
            &format!("user {}", user.id),
            &format!("{}: {}", user.name, package.state(user.id).condition().word()),
        );
    }
    for column in
        [Column::From, Column::Version, Column::Target, Column::Uid, Column::Installer, Column::Came, Column::Updated]
    {
        let value = column.words(&sight).filter(|v| !v.is_empty());
        list.fact(column.title(), value.as_deref().unwrap_or("not told"));
    }
    if let Some(code) = about.version_code {
        list.fact("version code", &code.to_string());
    }
    if let Some(shared) = &about.shared_user {
        list.fact("shares uid as", shared.as_str());
    }
    list.part("Files", "dumpsys package, list packages -f");
    let with_size = |path: &str| match sheet.names.files.get(path) {
        Some(size) => format!("{path} ({})", bytes_words(*size)),
        None => path.to_owned(),
    };
    let base = package.apk.as_ref().or(package.path.as_ref());
    list.fact("base", &base.map_or_else(|| "not told".to_owned(), |p| with_size(p.as_str())));
    for split in &about.splits {
        let path = package.split_path(split).map_or_else(|| split.clone(), |p| with_size(p.as_str()));
        list.fact("part", &path);
    }
    for (source, columns) in [
        (Source::Sizes, &[Column::Code, Column::Data, Column::Cache][..]),
        (Source::Memory, &[Column::Memory]),
        (Source::Running, &[Column::Running]),
        (Source::Use, &[Column::Idle, Column::Use]),
    ] {
        let title = columns.first().map_or("", |c| c.title());
        let title = if source == Source::Sizes { "size" } else { title };
        list.part(&crate::tui::widgets::capital(title), source.words());
        match sheet.why_not(source) {
            Some(why) => list.fact("not told", &why),
            None => {
                for column in columns {
                    let value = column.words(&sight).filter(|v| !v.is_empty());
                    list.fact(column.title(), value.as_deref().unwrap_or("none"));
                }
            }
        }
    }
    list.part("Permissions", &format!("dumpsys package, for {}", device.user_words(device.user())));
    for (given, title) in [(true, "has"), (false, "asks for")] {
        let these: Vec<&String> = about.requests.iter().filter(|p| about.may(p, device.user()) == given).collect();
        for permission in these.iter().filter(|p| permission_words(p).is_some()) {
            let words = permission_words(permission).unwrap_or("");
            list.fact(title, &format!("{words} ({})", permission.rsplit('.').next().unwrap_or("")));
        }
        let others: Vec<&str> = these.iter().filter(|p| permission_words(p).is_none()).map(|p| p.as_str()).collect();
        if !others.is_empty() {
            list.fact(title, &others.join(", "));
        }
    }
    if about.requests.is_empty() {
        list.fact("", "it asks for none, or the device does not tell");
    }
    if !about.declares.is_empty() {
        list.fact("declares", &about.declares.join(", "));
    }
    if !sight.notes.is_empty() {
        list.part("Notes", "from the logbook");
        for note in sight.notes {
            list.fact(note.scope.word(), &format!("{}{}", if note.star { "★ " } else { "" }, note.text));
        }
    }
    let room = usize::from(inside.height);
    let first = from.min(list.lines.len().saturating_sub(room));
    frame.render_widget(Paragraph::new(list.lines.into_iter().skip(first).take(room).collect::<Vec<_>>()), inside);
}

fn columns(model: &Model, at: usize, theme: &Theme, frame: &mut Frame<'_>) {
    let list = column_list(model);
    let height = (list.len() as u16 + 5).min(frame.area().height.saturating_sub(2));
    let inside = window(frame, theme, " Columns ", 84, height);
    let cells = usize::from(inside.width);
    let room = usize::from(inside.height).saturating_sub(2);
    let mut lines: Vec<Line<'_>> = list
        .iter()
        .enumerate()
        .skip(first_shown(at, list.len(), room))
        .take(room)
        .map(|(n, (column, chosen))| {
            let mark = if *chosen { format!("{:>2}", n + 1) } else { " ·".to_owned() };
            let style = if *chosen { theme.plain } else { theme.dim };
            let line = Line::from(vec![
                Span::styled(format!(" {mark} "), theme.accent),
                Span::styled(fit(column.title(), 12), style),
                Span::styled(cut(column.doc(), cells.saturating_sub(17)), theme.dim),
            ]);
            if n == at { under_cursor(line, theme, cells) } else { line }
        })
        .collect();
    lines.push(Line::raw(""));
    let words = "Space shows or hides · + - move it up or down · 0 as at first · Esc done";
    lines.push(Line::styled(cut(words, cells), theme.dim));
    frame.render_widget(Paragraph::new(lines), inside);
}

fn note(device: &DeviceModel, form: &NoteForm, theme: &Theme, frame: &mut Frame<'_>) {
    let title = format!(" Note on {} ", device.name_of(&form.id));
    let inside = window(frame, theme, &title, 96, 9);
    let cells = usize::from(inside.width);
    let mut lines = Vec::new();
    for scope in Scope::ALL {
        let n = scope as usize;
        let here = scope == form.scope;
        let who = match scope {
            Scope::Device => format!("this device ({})", device.name()),
            other => other.word().to_owned(),
        };
        lines.push(Line::from(vec![
            Span::styled(if here { "⟩ " } else { "  " }, theme.accent),
            Span::styled(fit(&who, 32), if here { theme.strong } else { theme.dim }),
            Span::styled(if form.stars[n] { "★ " } else { "  " }, theme.accent),
            Span::styled(cut(form.inputs[n].value(), cells.saturating_sub(36)), theme.plain),
        ]));
    }
    lines.push(Line::raw(""));
    let words = "Tab for whom it holds · Ctrl-S star · Enter keeps it, Esc leaves everything as it was. An empty one is taken out.";
    lines.extend(wrap(words, cells).into_iter().map(|l| Line::styled(l, theme.dim)));
    frame.render_widget(Paragraph::new(lines), inside);
    let input = &form.inputs[form.scope as usize];
    let x = inside.x + 36 + u16::try_from(input.visual_cursor()).unwrap_or(0);
    frame.set_cursor_position((x.min(inside.right().saturating_sub(1)), inside.y + form.scope as u16));
}

fn ids(device: &DeviceModel, form: &IdsForm, theme: &Theme, frame: &mut Frame<'_>) {
    let height = 24.min(frame.area().height.saturating_sub(2));
    let inside = window(frame, theme, " Mark from a list of ids ", 96, height);
    let cells = usize::from(inside.width);
    let mut lines = vec![
        Line::raw("Paste ids, or type some and press Enter; with nothing typed, Enter marks those that are here."),
        Line::from(vec![Span::styled("⟩ ", theme.accent), Span::styled(form.input.value(), theme.strong)]),
        Line::raw(""),
    ];
    let room = usize::from(inside.height).saturating_sub(lines.len());
    let user = device.user_words(device.user());
    let mut rows: Vec<Line<'_>> = Vec::new();
    let mut part = |title: String, style: Style, names: Vec<String>| {
        if !names.is_empty() {
            rows.push(Line::styled(format!("{} {title}", names.len()), style));
            let line = names.join(", ");
            rows.extend(
                wrap(&line, cells.saturating_sub(2)).into_iter().map(|l| Line::styled(format!("  {l}"), theme.plain)),
            );
        }
    };
    let names = |list: &[wibbet_types::PackageId]| list.iter().map(ToString::to_string).collect::<Vec<_>>();
    part("not on this device:".into(), theme.alert, names(&form.missing));
    part(
        "no ids:".into(),
        theme.alert,
        form.others.iter().map(|o| wibbet_types::PlainText::new(o).into_string()).collect(),
    );
    part(format!("not installed for {user}, so there is nothing to take out:"), theme.accent, names(&form.off));
    part(format!("installed for {user}, to be marked:"), theme.good, names(&form.here));
    if rows.len() > room {
        rows.truncate(room.saturating_sub(1));
        rows.push(Line::styled("…", theme.dim));
    }
    lines.extend(rows);
    frame.render_widget(Paragraph::new(lines), inside);
    let x = inside.x + 2 + u16::try_from(form.input.visual_cursor()).unwrap_or(0);
    frame.set_cursor_position((x.min(inside.right().saturating_sub(1)), inside.y + 1));
}

fn open(device: &DeviceModel, at: usize, theme: &Theme, frame: &mut Frame<'_>) {
    let all = openings(device);
    let inside = window(frame, theme, " Open on the device ", 100, (all.len() as u16 + 8).min(frame.area().height));
    let cells = usize::from(inside.width);
    let mut lines: Vec<Line<'_>> = all
        .iter()
        .enumerate()
        .map(|(n, (words, _))| {
            let line = Line::raw(format!(" {words}"));
            if n == at { under_cursor(line, theme, cells) } else { line }
        })
        .collect();
    lines.push(Line::raw(""));
    if let Some((_, opening)) = all.get(at) {
        lines.push(Line::styled("Enter sends:", theme.dim));
        lines.extend(wrap(&opening.words(), cells.saturating_sub(2)).into_iter().map(|l| Line::raw(format!("  {l}"))));
    }
    frame.render_widget(Paragraph::new(lines), inside);
}

fn searches(model: &Model, device: &DeviceModel, at: usize, theme: &Theme, frame: &mut Frame<'_>) {
    let height = (model.searches.len() as u16 + 7).min(frame.area().height.saturating_sub(2));
    let inside = window(frame, theme, " Kept searches ", 84, height);
    let cells = usize::from(inside.width);
    let room = usize::from(inside.height).saturating_sub(3);
    let mut lines: Vec<Line<'_>> = model
        .searches
        .iter()
        .enumerate()
        .skip(first_shown(at, model.searches.len(), room))
        .take(room)
        .map(|(n, text)| {
            let line = Line::raw(format!(" {}", cut(text, cells.saturating_sub(1))));
            if n == at { under_cursor(line, theme, cells) } else { line }
        })
        .collect();
    if model.searches.is_empty() {
        lines.push(Line::styled(" None yet.", theme.dim));
    }
    lines.push(Line::raw(""));
    let now = device.search.value();
    let words = match now.is_empty() {
        true => {
            "Enter searches · - takes it out · Esc closes. What is searched for now can be kept here with +.".to_owned()
        }
        false => format!("Enter searches · + keeps “{}” · - takes it out · Esc closes", cut(now, 30)),
    };
    lines.extend(wrap(&words, cells).into_iter().map(|l| Line::styled(l, theme.dim)));
    frame.render_widget(Paragraph::new(lines), inside);
}
