//! Finding and knowing packages: what the actions around the table do, and the keys of their windows.

use std::path::PathBuf;

use crossterm::event::{Event, KeyCode, KeyEvent, KeyModifiers};
use tui_input::Input;
use tui_input::backend::crossterm::EventHandler as _;
use wibbet_bench::session::SessionCommand;
use wibbet_core::catalog::{Catalog, Column, IdList};
use wibbet_core::package::{Note, Scope};
use wibbet_core::plan::{Change, TrayItem};
use wibbet_core::search::Completion;
use wibbet_types::Locale;

use super::message::{Effect, to_session};
use super::offers::{EXPORTS, column_list, openings};
use crate::export::csv;
use crate::export::csv::Form;
use crate::tui::app::{DeviceModel, IdsForm, Model, NoteForm, Window};
use crate::tui::keys::Action;

/// Under these names the logbook remembers how the table was set up.
pub(crate) const COLUMNS: &str = "columns";

pub(crate) const SEARCHES: &str = "searches";

/// Searches that are kept, at most.
const MOST_SEARCHES: usize = 30;

/// Something has become known of the packages.
pub(super) fn learn(device: &mut DeviceModel, take: impl FnOnce(&mut Catalog)) {
    if let Some(sheet) = &mut device.sheet {
        take(sheet);
        device.refresh_found();
    }
}

/// Takes how the table was set up the last time.
pub(super) fn take_choices(model: &mut Model, columns: Option<&str>, searches: Option<&str>) {
    let chosen: Vec<Column> = columns.unwrap_or("").split(' ').filter_map(Column::from_name).collect();
    if !chosen.is_empty() {
        model.columns = chosen;
    }
    if let Some(searches) = searches {
        model.searches = searches.lines().take(MOST_SEARCHES).map(str::to_owned).collect();
    }
}

pub(super) fn act(model: &mut Model, action: Action) -> Vec<Effect> {
    let columns = super::views::shown_columns(model);
    let searches = model.searches.len();
    let Some(device) = model.device_mut() else { return Vec::new() };
    let card = device.card;
    let id = device.under_cursor().cloned();
    match action {
        Action::Follow if !device.following => {
            device.following = true;
            model.tell("The package on the device's screen is highlighted now. f goes to it, F stops this.");
            return vec![to_session(card, SessionCommand::Follow(true))];
        }
        Action::Follow => go_to_front(model),
        Action::Unfollow => {
            device.following = false;
            device.front = None;
            return vec![to_session(card, SessionCommand::Follow(false))];
        }
        Action::Sort => {
            let now = device.sort.0.and_then(|column| columns.iter().position(|c| *c == column));
            device.sort = (columns.get(now.map_or(0, |n| n + 1)).copied(), false);
            device.refresh_found();
        }
        Action::SortOtherWay => {
            device.sort.1 = !device.sort.1;
            device.refresh_found();
        }
        Action::CopyId => {
            if let Some(id) = id {
                model.tell(format!("{id} is in the clipboard, where the terminal allows that."));
                return vec![Effect::Copy(id.to_string())];
            }
        }
        Action::Star => {
            if let Some(id) = id {
                let all = device.sheet.as_ref().and_then(|s| s.notes.get(&id)).cloned().unwrap_or_default();
                let known = all.iter().find(|n| n.scope == Scope::All).cloned();
                let note = known.unwrap_or(Note { id, scope: Scope::All, text: String::new(), star: false });
                return vec![to_session(card, SessionCommand::Note(Note { star: !note.star, ..note }))];
            }
        }
        Action::Note => {
            if let Some(id) = id {
                let all = device.sheet.as_ref().and_then(|s| s.notes.get(&id)).cloned().unwrap_or_default();
                let of = |scope: Scope| all.iter().find(|n| n.scope == scope);
                let inputs = Scope::ALL.map(|s| Input::new(of(s).map_or_else(String::new, |n| n.text.clone())));
                let stars = Scope::ALL.map(|s| of(s).is_some_and(|n| n.star));
                let scope = Scope::ALL.into_iter().find(|s| of(*s).is_some_and(|n| !n.text.is_empty()));
                let scope = scope.unwrap_or(Scope::Device);
                model.popup = Some(Window::Note(NoteForm { id, scope, inputs, stars }));
            }
        }
        Action::WholeSheet => model.popup = Some(Window::Everything { from: 0 }),
        Action::Open => model.popup = Some(Window::Open { at: 0 }),
        Action::Columns => model.popup = Some(Window::Columns { at: 0 }),
        Action::FromList => model.popup = Some(Window::Ids(IdsForm::default())),
        Action::Export => model.popup = Some(Window::Export { at: 0 }),
        Action::Searches => model.popup = Some(Window::Searches { at: searches.min(1) - usize::from(searches > 0) }),
        Action::Languages => {
            let wanted = device.sheet.as_ref().map_or(&[][..], |s| &s.names.wanted);
            let line = wanted.iter().map(ToString::to_string).collect::<Vec<_>>().join(" ");
            model.popup = Some(Window::Languages { input: Input::new(line), trouble: None });
        }
        _ => {}
    }
    Vec::new()
}

fn go_to_front(model: &mut Model) {
    let Some(device) = model.device_mut() else { return };
    let Some((id, _)) = device.front.clone() else {
        model.tell("The device has not told what is on its screen; a lock screen belongs to no app.");
        return;
    };
    if !device.go_to(&id) {
        // The search does not find it: it is what somebody wants to see now.
        device.search.reset();
        device.refresh_found();
        if !device.go_to(&id) {
            model.tell(format!("{id} is on the device's screen, but not on the list. r reads the packages again."));
        }
    }
}

pub(crate) fn complete(device: &mut DeviceModel, offers: &[Completion]) {
    let Some(offer) = offers.get(device.completing.min(offers.len().saturating_sub(1))) else { return };
    let mut line = device.search.value().to_owned();
    line.replace_range(offer.at.clone(), &offer.text);
    let cursor = line[..offer.at.start + offer.text.len()].chars().count();
    device.search = Input::new(line).with_cursor(cursor);
    device.search_again();
}

/// Takes a pasted text for a list of ids. False where it is none.
pub(super) fn paste(model: &mut Model, text: &str) -> bool {
    let list = IdList::read(text);
    let several = list.ids.len() > 1 || matches!(model.popup, Some(Window::Ids(_)));
    let Some(device) = model.device_mut().filter(|d| !d.searching && d.inventory.is_some()) else { return false };
    if list.ids.is_empty() || !several {
        return false;
    }
    let mut form = sort_ids(device, list);
    // What is pasted into the window comes to what is there.
    if let Some(Window::Ids(former)) = &mut model.popup {
        form.input = former.input.clone();
        for (own, other) in [
            (&mut former.here, &mut form.here),
            (&mut former.off, &mut form.off),
            (&mut former.missing, &mut form.missing),
        ] {
            other.retain(|id| !own.contains(id));
            own.append(other);
        }
        former.others.extend(form.others);
        return true;
    }
    model.popup = Some(Window::Ids(form));
    true
}

fn sort_ids(device: &DeviceModel, list: IdList) -> IdsForm {
    let mut form = IdsForm { others: list.others, ..IdsForm::default() };
    let user = device.user();
    for id in list.ids {
        let package = device.inventory.as_ref().and_then(|i| i.packages.get(&id));
        match package {
            Some(package) if package.state(user).installed => form.here.push(id),
            Some(_) => form.off.push(id),
            None => form.missing.push(id),
        }
    }
    form
}

/// The keys of the windows of this module; `None` for other windows.
pub(super) fn popup_key(model: &mut Model, event: &Event, key: KeyEvent) -> Option<Vec<Effect>> {
    let mut popup = model.popup.take()?;
    let page = usize::from(model.size.1) / 2;
    let mut effects = Vec::new();
    let stays = match &mut popup {
        Window::Everything { from } => match key.code {
            KeyCode::Up | KeyCode::Char('k') => {
                *from = from.saturating_sub(1);
                true
            }
            KeyCode::Down | KeyCode::Char('j') => {
                *from += 1;
                true
            }
            KeyCode::PageUp => {
                *from = from.saturating_sub(page);
                true
            }
            KeyCode::PageDown | KeyCode::Char(' ') => {
                *from += page;
                true
            }
            KeyCode::Char('y') => {
                effects = act(model, Action::CopyId);
                true
            }
            _ => false,
        },
        Window::Columns { at } => columns_key(model, at, key, &mut effects),
        Window::Note(form) => note_key(model, form, event, key, &mut effects),
        Window::Ids(form) => ids_key(model, form, event, key),
        Window::Open { at } => {
            let all = model.device().map(openings).unwrap_or_default();
            match key.code {
                KeyCode::Esc => false,
                KeyCode::Enter => {
                    if let (Some((_, opening)), Some(device)) = (all.get(*at), model.device()) {
                        effects.push(to_session(device.card, SessionCommand::Open(opening.clone())));
                    }
                    false
                }
                _ => moved(at, all.len(), key),
            }
        }
        Window::Searches { at } => searches_key(model, at, key, &mut effects),
        Window::Languages { input, trouble } => languages_key(model, input, trouble, event, key, &mut effects),
        Window::Export { at } => match key.code {
            KeyCode::Esc => false,
            KeyCode::Enter => {
                effects.extend(export(model, *at));
                false
            }
            _ => moved(at, EXPORTS.len(), key),
        },
        _ => {
            model.popup = Some(popup);
            return None;
        }
    };
    if stays {
        model.popup = Some(popup);
    }
    Some(effects)
}

/// Moves over a list; any other key does nothing.
fn moved(at: &mut usize, len: usize, key: KeyEvent) -> bool {
    match key.code {
        KeyCode::Up | KeyCode::Char('k') => *at = at.saturating_sub(1),
        KeyCode::Down | KeyCode::Char('j') => *at = (*at + 1).min(len.saturating_sub(1)),
        KeyCode::Home => *at = 0,
        KeyCode::End => *at = len.saturating_sub(1),
        _ => {}
    }
    true
}

fn columns_key(model: &mut Model, at: &mut usize, key: KeyEvent, effects: &mut Vec<Effect>) -> bool {
    let list = column_list(model);
    let Some((column, chosen)) = list.get(*at).copied() else { return false };
    let count = model.columns.len();
    match key.code {
        KeyCode::Char(' ') if chosen && count > 1 => {
            model.columns.retain(|c| *c != column);
            *at = (*at).min(list.len() - 1);
        }
        KeyCode::Char(' ') if !chosen => {
            model.columns.push(column);
            *at = count;
        }
        KeyCode::Char('+') if chosen && *at > 0 => {
            model.columns.swap(*at, *at - 1);
            *at -= 1;
        }
        KeyCode::Char('-') if chosen && *at + 1 < count => {
            model.columns.swap(*at, *at + 1);
            *at += 1;
        }
        KeyCode::Char('0') => model.columns = Column::FIRST.to_vec(),
        KeyCode::Esc | KeyCode::Enter => {
            let names: Vec<&str> = model.columns.iter().map(|c| c.name()).collect();
            effects.push(Effect::Choose(COLUMNS, names.join(" ")));
            return false;
        }
        _ => return moved(at, list.len(), key),
    }
    true
}

fn note_key(model: &Model, form: &mut NoteForm, event: &Event, key: KeyEvent, effects: &mut Vec<Effect>) -> bool {
    let n = form.scope as usize;
    match key.code {
        KeyCode::Esc => return false,
        KeyCode::Tab | KeyCode::Down => form.scope = Scope::ALL[(n + 1) % 3],
        KeyCode::BackTab | KeyCode::Up => form.scope = Scope::ALL[(n + 2) % 3],
        KeyCode::Char('s') if key.modifiers == KeyModifiers::CONTROL => form.stars[n] = !form.stars[n],
        KeyCode::Enter => {
            let Some(device) = model.device() else { return false };
            let known = device.sheet.as_ref().and_then(|s| s.notes.get(&form.id)).cloned().unwrap_or_default();
            for scope in Scope::ALL {
                let n = scope as usize;
                let text = form.inputs[n].value().trim().to_owned();
                let note = Note { id: form.id.clone(), scope, text, star: form.stars[n] };
                let nothing = note.text.is_empty() && !note.star;
                let before = known.iter().find(|k| k.scope == scope);
                // Only what has changed is written.
                if before.map_or(!nothing, |before| *before != note) {
                    effects.push(to_session(device.card, SessionCommand::Note(note)));
                }
            }
            return false;
        }
        _ => drop(form.inputs[n].handle_event(event)),
    }
    true
}

fn ids_key(model: &mut Model, form: &mut IdsForm, event: &Event, key: KeyEvent) -> bool {
    match key.code {
        KeyCode::Esc => return false,
        KeyCode::Enter if !form.input.value().trim().is_empty() => {
            let list = IdList::read(form.input.value());
            form.input.reset();
            if let Some(device) = model.device() {
                let more = sort_ids(device, list);
                for (own, new) in
                    [(&mut form.here, more.here), (&mut form.off, more.off), (&mut form.missing, more.missing)]
                {
                    let new: Vec<_> = new.into_iter().filter(|id| !own.contains(id)).collect();
                    own.extend(new);
                }
                form.others.extend(more.others);
            }
        }
        KeyCode::Enter => {
            let here = form.here.clone();
            let Some(device) = model.device_mut() else { return false };
            let user = device.user();
            let new: Vec<TrayItem> = here
                .iter()
                .filter(|id| device.chosen(id, user).is_none())
                .map(|id| TrayItem { id: id.clone(), user, way: Change::Uninstall })
                .collect();
            let count = new.len();
            device.change_tray(|tray| tray.extend(new));
            model.tell(match (here.len(), count) {
                (0, _) => "Nothing of the list is installed here, and nothing was marked.".to_owned(),
                (_, count) => format!("{count} packages more in the tray. z takes them out again."),
            });
            return false;
        }
        _ => drop(form.input.handle_event(event)),
    }
    true
}

fn searches_key(model: &mut Model, at: &mut usize, key: KeyEvent, effects: &mut Vec<Effect>) -> bool {
    let keep = |model: &Model| Effect::Choose(SEARCHES, model.searches.join("\n"));
    match key.code {
        KeyCode::Esc => return false,
        KeyCode::Enter => {
            if let Some(line) = model.searches.get(*at).cloned()
                && let Some(device) = model.device_mut()
            {
                device.search = Input::new(line);
                device.search_again();
            }
            return false;
        }
        KeyCode::Char('+') => {
            let line = model.device().map_or_else(String::new, |d| d.search.value().trim().to_owned());
            if !line.is_empty() && !model.searches.contains(&line) && model.searches.len() < MOST_SEARCHES {
                model.searches.push(line);
                *at = model.searches.len() - 1;
                effects.push(keep(model));
            }
        }
        KeyCode::Char('-') | KeyCode::Delete => {
            if *at < model.searches.len() {
                model.searches.remove(*at);
                *at = (*at).min(model.searches.len().saturating_sub(1));
                effects.push(keep(model));
            }
        }
        _ => return moved(at, model.searches.len(), key),
    }
    true
}

fn languages_key(
    model: &mut Model,
    input: &mut Input,
    trouble: &mut Option<String>,
    event: &Event,
    key: KeyEvent,
    effects: &mut Vec<Effect>,
) -> bool {
    match key.code {
        KeyCode::Esc => return false,
        KeyCode::Enter => {
            let words = input.value().split([' ', ',']).filter(|w| !w.is_empty());
            let read: Result<Vec<Locale>, _> = words.map(str::parse).collect();
            match read {
                Ok(languages) => {
                    if let Some(device) = model.device() {
                        let languages = (!languages.is_empty()).then_some(languages);
                        effects.push(to_session(device.card, SessionCommand::Languages(languages)));
                    }
                    return false;
                }
                Err(error) => *trouble = Some(error.to_string()),
            }
        }
        _ => {
            input.handle_event(event);
            *trouble = None;
        }
    }
    true
}

fn export(model: &Model, at: usize) -> Option<Effect> {
    let (_, form, all) = EXPORTS.get(at)?;
    let device = model.device()?;
    let sheet = device.sheet.as_ref()?;
    let ids: Vec<_> = if *all { sheet.inventory.packages.keys().cloned().collect() } else { device.found.clone() };
    // A table for machines has every column; what was chosen for the screen comes first.
    let columns: Vec<Column> = column_list(model).into_iter().map(|(column, _)| column).collect();
    let text = csv::write(sheet, &ids, &columns, device.user(), *form);
    let id = device.facts.as_ref().map_or_else(|| "device".to_owned(), |f| f.id.to_string());
    let safe: String =
        id.chars().map(|c| if c.is_ascii_alphanumeric() || "-._".contains(c) { c } else { '-' }).collect();
    let end = if *form == Form::Csv { ".csv" } else { ".json" };
    Some(Effect::Write(format!("packages-{safe}"), end, text))
}

/// Writes a file into the folder that the program was started in, under a name that is not taken.
pub(super) fn write_new(name: &str, end: &str, text: &str) -> std::io::Result<PathBuf> {
    use std::io::Write as _;
    for n in 1..1000 {
        let path = PathBuf::from(if n == 1 { format!("{name}{end}") } else { format!("{name}-{n}{end}") });
        match std::fs::OpenOptions::new().write(true).create_new(true).open(&path) {
            Ok(mut file) => {
                file.write_all(text.as_bytes())?;
                file.sync_all()?;
                return std::path::absolute(path);
            }
            Err(error) if error.kind() == std::io::ErrorKind::AlreadyExists => {}
            Err(error) => return Err(error),
        }
    }
    Err(std::io::Error::other("a thousand files of that name are there already"))
}
