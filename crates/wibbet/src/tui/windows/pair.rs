//! Pairing for wireless debugging.

use ratatui::Frame;
use ratatui::layout::Rect;
use ratatui::style::{Color, Style};
use ratatui::text::Line;
use ratatui::widgets::Paragraph;
use tui_input::Input;
use wibbet_bench::fleet::BenchCommand;
use wibbet_types::Address;

use super::form::{Flow, Form, foot, hidden_above, line_count};
use crate::tui::app::App;
use crate::tui::keys::{Action, Layer};
use crate::tui::message::Effect;
use crate::tui::widgets::{Field, Theme, qr_lines, spinner, width, window, wrap};

/// What is said when the device has closed its dialog while its code was being typed.
pub(crate) const DIALOG_CLOSED: &str =
    "the device has closed its dialog, and its code is void: open it again and type the new code";

/// What was typed stays until it is of no use any more.
#[derive(Debug, Clone, Default)]
pub(crate) struct Pair {
    at: Input,
    code: Input,
    /// The address was typed, and is not replaced by what is announced.
    typed: bool,
    on_code: bool,
    working: bool,
    trouble: Option<String>,
}

impl Pair {
    /// A device has scanned the code.
    pub(crate) fn scanned(&mut self) {
        self.working = true;
        self.trouble = None;
    }

    /// The address follows what is announced, unless somebody typed one.
    pub(crate) fn follow_offers(&mut self, app: &App) {
        let offers = by_code(app);
        let by_code = match offers.as_slice() {
            // Whose is whose only those who see the devices know: what stands there stays, as long as it is offered.
            [_, _, ..] => offers.iter().find(|(_, at)| at.to_string() == self.at.value()),
            one => one.first(),
        };
        match by_code.map(|(_, at)| at.clone()) {
            None if offers.len() > 1 && (self.typed || self.at.value().is_empty()) => {}
            None if !self.typed && !self.working && !self.at.value().is_empty() => {
                // What is offered no longer is of no use, and neither is its code.
                self.at.reset();
                self.code.reset();
                self.on_code = true;
                self.trouble = Some(DIALOG_CLOSED.into());
            }
            Some(at) if !self.typed && self.at.value() != at.to_string() => {
                self.at = Input::new(at.to_string());
                self.on_code = true;
                // Another dialog is open now: what was said of the former one is over.
                self.trouble = None;
            }
            _ => {}
        }
    }

    /// It did not work; `only_the_code` where the device still shows its dialog.
    pub(crate) fn failed(&mut self, why: String, only_the_code: bool) {
        self.working = false;
        self.trouble = Some(why);
        self.on_code = true;
        self.code.reset();
        if !only_the_code {
            // The dialog is gone, and with it its address, unless another one is open by now.
            self.typed = false;
            self.on_code = !self.at.value().is_empty();
        }
    }

    fn pair_now(&mut self, out: &mut Vec<Effect>) {
        if self.working {
            return;
        }
        let code: String = self.code.value().chars().filter(|c| !c.is_whitespace()).collect();
        let at = match self.at.value().trim().parse::<wibbet_types::Address>() {
            Ok(at) => at,
            Err(rule) => {
                let closed = self.trouble.as_deref() == Some(DIALOG_CLOSED);
                self.on_code = self.at.value().is_empty() && closed;
                self.trouble = Some(if self.on_code {
                    self.code.reset();
                    DIALOG_CLOSED.into()
                } else if self.at.value().is_empty() {
                    "no device offers pairing yet: open “Pair device with pairing code” on it, or type the address that it shows"
                        .into()
                } else {
                    rule.to_string()
                });
                return;
            }
        };
        if code.is_empty() {
            self.trouble = Some("type the six digits that the device shows".into());
            self.on_code = true;
            return;
        }
        self.scanned();
        out.push(Effect::Bench(BenchCommand::Pair { at, code }));
    }
}

/// Who offers pairing, but for whoever has scanned the code that is shown here.
fn by_code(app: &App) -> Vec<&(String, Address)> {
    let own = app.qr.as_deref().and_then(|text| text.split(';').find_map(|f| f.strip_prefix("S:")));
    app.offers.iter().filter(|(name, _)| Some(name.as_str()) != own).collect()
}

impl Form for Pair {
    const OPENED_BY: Action = Action::Pair;
    const ABOUT_THE_DEVICE: bool = false;

    fn open(app: &mut App, out: &mut Vec<Effect>) -> Option<Self> {
        app.qr = None;
        app.pairing = true;
        out.push(Effect::Bench(BenchCommand::ShowQr));
        let mut form = Self::default();
        form.follow_offers(app);
        Some(form)
    }

    fn layer(&self) -> Layer {
        Layer::Pair
    }

    fn act(&mut self, app: &mut App, action: Action, out: &mut Vec<Effect>) -> Flow {
        match action {
            Action::Accept => self.pair_now(out),
            Action::NextField => self.on_code = !self.on_code,
            Action::DeviceScreens => return Flow::Open(action),
            _ => {
                (app.qr, app.pairing) = (None, false);
                out.push(Effect::Bench(BenchCommand::EndPairing));
                return Flow::Close;
            }
        }
        Flow::Stay
    }

    fn draw(&self, app: &App, theme: &Theme, frame: &mut Frame<'_>) {
        let size = frame.area();
        let code = app.qr.as_deref().map_or_else(Vec::new, qr_lines);
        let (code_width, code_height) = (code.first().map_or(0, |l| width(l)), code.len());
        // Beside the code where there is room, else the code goes: it cannot be scanned in part.
        let beside = usize::from(size.width) >= code_width + 41 && usize::from(size.height) >= code_height + 4;
        let wide = if beside && code_width > 0 { code_width as u16 + 62 } else { 72 };
        let wide = wide.min(size.width.saturating_sub(2));
        // What the code takes of it, with the gap beside it.
        let taken = if beside && code_width > 0 { code_width as u16 + 2 } else { 0 };
        let cells = usize::from(wide.saturating_sub(4 + taken));
        let mut lines: Vec<Line<'_>> = Vec::new();
        let say = |text: &str, style: Style, lines: &mut Vec<Line<'_>>| {
            lines.extend(wrap(text, cells).into_iter().map(|l| Line::styled(l, style)));
        };
        // Where the code leaves little room, fewer words say it.
        let narrow = cells < 48;
        let gap = |lines: &mut Vec<Line<'_>>| {
            if !narrow {
                lines.push(Line::raw(""));
            }
        };
        match narrow {
            true => say("On the device: Developer options, Wireless debugging; then either", theme.plain, &mut lines),
            false => say(
                "On the device: Settings, Developer options, Wireless debugging. Then either",
                theme.plain,
                &mut lines,
            ),
        }
        gap(&mut lines);
        if beside && code_width > 0 {
            say("“Pair device with QR code”: scan the code on the left. That is all.", theme.strong, &mut lines);
        } else {
            say("(for the QR code this screen is too small, or the network cannot be heard)", theme.dim, &mut lines);
        }
        gap(&mut lines);
        say("or “Pair device with pairing code”, and type here what it shows:", theme.strong, &mut lines);
        gap(&mut lines);
        let field =
            |name: &'static str, input| Field { name, name_cells: 8, input, here: (name == "code") == self.on_code };
        let fields = [field("code", &self.code), field("address", &self.at)];
        let fields_at = line_count(&lines);
        lines.extend(fields.iter().map(|_| Line::default()));
        let offers = by_code(app);
        let heard = match offers.len() {
            0 if self.at.value().is_empty() => {
                "The address comes by itself when the device shows its code; else type it.".to_owned()
            }
            0 => "No device offers pairing at the moment.".to_owned(),
            1 if self.typed => String::new(),
            1 => "A device offers pairing: the address is its own.".to_owned(),
            // Anybody on the network can offer it; the device itself shows which address is its own.
            count => {
                let all: Vec<String> = offers.iter().take(3).map(|(_, at)| at.to_string()).collect();
                let more = if count > all.len() { " …" } else { "" };
                format!(
                    "{count} offer pairing: {}{more}. Type the address that the device itself shows.",
                    all.join(", ")
                )
            }
        };
        say(&heard, theme.dim, &mut lines);
        lines.push(Line::raw(""));
        let mut needed = fields_at..fields_at + fields.len() as u16;
        match (&self.trouble, self.working) {
            (_, true) => lines.push(Line::styled(format!("pairing {}", spinner(app.tick)), theme.accent)),
            (Some(trouble), _) => say(&format!("▲ {trouble}"), theme.alert, &mut lines),
            _ => {}
        }
        if self.working || self.trouble.is_some() {
            needed.end = line_count(&lines);
        }
        let enabled = |action| action != Action::DeviceScreens || (app.simulated && !narrow);
        let keys = foot(Layer::Pair, &enabled, theme, cells);
        let of_code = if taken > 0 { code_height as u16 + 4 } else { 0 };
        let high = line_count(&lines).saturating_add(keys.len() as u16 + 3).max(of_code).max(18);
        let inside = window(frame, theme, " Pair a device for wireless debugging ", wide, high.min(size.height));
        if taken > 0 {
            let style = Style::new().fg(Color::Black).bg(Color::White);
            let code: Vec<Line<'_>> = code.iter().map(|l| Line::styled(l.clone(), style)).collect();
            let area = Rect { width: code_width as u16, height: code_height as u16, y: inside.y + 1, ..inside };
            frame.render_widget(Paragraph::new(code), area.intersection(inside));
        }
        let text = Rect { x: inside.x + taken, width: inside.width.saturating_sub(taken), ..inside };
        let room = text.height.saturating_sub(keys.len() as u16);
        let hidden = hidden_above(needed, room);
        frame.render_widget(Paragraph::new(lines).scroll((hidden, 0)), Rect { height: room, ..text });
        keys.draw(theme, frame, Rect { y: text.y + room, height: text.height - room, ..text });
        for (n, field) in (0..).zip(&fields) {
            let y = fields_at + n - hidden;
            if y < room {
                field.draw(1, theme, frame, Rect { y: text.y + y, height: 1, ..text });
            }
        }
    }

    fn field(&mut self) -> Option<&mut Input> {
        Some(if self.on_code { &mut self.code } else { &mut self.at })
    }

    fn edited(&mut self) {
        self.typed |= !self.on_code;
        // A code is made of digits alone.
        let is_other = |c: char| !c.is_ascii_digit();
        if self.on_code && self.code.value().contains(is_other) {
            self.code = Input::new(self.code.value().replace(is_other, ""));
        }
    }

    fn is_moving(&self) -> bool {
        true
    }
}
