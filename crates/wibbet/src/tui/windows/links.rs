//! Windows about links: first steps, pairing, closing, and in the demo the devices' own screens.

use qrcode::render::unicode::Dense1x2;
use qrcode::{EcLevel, QrCode};
use ratatui::Frame;
use ratatui::layout::Rect;
use ratatui::style::{Color, Style};
use ratatui::text::{Line, Span};
use ratatui::widgets::Paragraph;

use crate::tui::app::{CloseForm, Model, PairForm};
use crate::tui::widgets::{Theme, cut, first_shown, fit, turning, width, window, wrap};

pub(crate) fn guide(from: usize, theme: &Theme, frame: &mut Frame<'_>) {
    let size = frame.area();
    let title = " First steps · ↑↓ moves, Esc closes ";
    let inside =
        window(frame, theme, title, 96.min(size.width.saturating_sub(2)), size.height.saturating_sub(2).min(26));
    let cells = usize::from(inside.width);
    let mut lines: Vec<Line<'_>> = Vec::new();
    for (head, steps) in wibbet_core::link::first_steps() {
        lines.push(Line::styled(head, theme.accent));
        for step in steps {
            let wrapped = wrap(step, cells.saturating_sub(5));
            lines.extend(
                wrapped
                    .into_iter()
                    .enumerate()
                    .map(|(n, l)| Line::raw(format!("   {} {l}", if n == 0 { "·" } else { " " }))),
            );
        }
        lines.push(Line::raw(""));
    }
    lines.extend(
        wrap("The bench shows how far each device has got, and what is missing. It tries again by itself: nothing that worked has to be done twice.", cells)
            .into_iter()
            .map(|l| Line::styled(l, theme.dim)),
    );
    let room = usize::from(inside.height);
    let first = from.min(lines.len().saturating_sub(room));
    let shown: Vec<Line<'_>> = lines.into_iter().skip(first).take(room).collect();
    frame.render_widget(Paragraph::new(shown), inside);
}

/// The QR code in half blocks, dark on light whatever the terminal's colours are.
fn qr_lines(text: &str) -> Vec<String> {
    // Low correction makes the code smaller, and a screen is clean.
    let Ok(code) = QrCode::with_error_correction_level(text.as_bytes(), EcLevel::L) else { return Vec::new() };
    let drawn = code.render::<Dense1x2>().quiet_zone(true).build();
    drawn.lines().map(str::to_owned).collect()
}

pub(crate) fn pair(model: &Model, form: &PairForm, theme: &Theme, frame: &mut Frame<'_>) {
    let size = frame.area();
    let code = model.qr.as_deref().map_or_else(Vec::new, qr_lines);
    let (code_width, code_height) = (code.first().map_or(0, |l| width(l)), code.len());
    // Beside the code where there is room, else the code goes: it cannot be scanned in part.
    let beside = usize::from(size.width) >= code_width + 41 && usize::from(size.height) >= code_height + 4;
    let wide = if beside && code_width > 0 { code_width as u16 + 62 } else { 72 };
    let high = if beside { (code_height as u16 + 4).max(18) } else { 18 };
    let inside = window(
        frame,
        theme,
        " Pair a device for wireless debugging ",
        wide.min(size.width.saturating_sub(2)),
        high.min(size.height),
    );
    let text_area = if beside && code_width > 0 {
        let style = Style::new().fg(Color::Black).bg(Color::White);
        let lines: Vec<Line<'_>> = code.iter().map(|l| Line::styled(l.clone(), style)).collect();
        let area = Rect {
            width: code_width as u16,
            height: (code_height as u16).min(inside.height),
            y: inside.y + 1,
            ..inside
        };
        frame.render_widget(Paragraph::new(lines), area.intersection(inside));
        Rect {
            x: inside.x + code_width as u16 + 2,
            width: inside.width.saturating_sub(code_width as u16 + 2),
            ..inside
        }
    } else {
        inside
    };
    let cells = usize::from(text_area.width);
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
        false => {
            say("On the device: Settings, Developer options, Wireless debugging. Then either", theme.plain, &mut lines)
        }
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
    let field = |name: &str, value: &str, here: bool| {
        let sign = if here { "⟩ " } else { "  " };
        Line::from(vec![
            Span::styled(sign.to_owned(), theme.accent),
            Span::styled(fit(name, 9), theme.plain),
            Span::styled(fit(value, cells.saturating_sub(11).min(30)), theme.strong),
        ])
    };
    let fields_at = lines.len() as u16;
    lines.push(field("code", form.code.value(), form.on_code));
    lines.push(field("address", form.at.value(), !form.on_code));
    let heard = match model.offers.len() {
        0 if form.at.value().is_empty() => "The address comes by itself when the device shows its code; else type it.",
        0 => "No device offers pairing at the moment.",
        _ if form.typed => "",
        _ => "A device offers pairing: the address is its own.",
    };
    say(heard, theme.dim, &mut lines);
    lines.push(Line::raw(""));
    match (&form.trouble, form.working) {
        (_, true) => lines.push(Line::styled(format!("pairing {}", turning(model.tick)), theme.accent)),
        (Some(trouble), _) => say(&format!("▲ {trouble}"), theme.alert, &mut lines),
        _ => {}
    }
    let room = usize::from(text_area.height).saturating_sub(1);
    lines.truncate(room);
    while lines.len() < room {
        lines.push(Line::raw(""));
    }
    let mut keys = vec![("Enter", "pair"), ("Tab", "field"), ("Esc", "not now")];
    if model.simulated && !narrow {
        keys.push(("Ctrl-T", "its screen"));
    }
    let mut spans = Vec::new();
    for (key, words) in keys {
        spans.push(Span::styled(key, theme.accent));
        spans.push(Span::raw(format!(" {words}  ")));
    }
    lines.push(Line::from(spans));
    frame.render_widget(Paragraph::new(lines), text_area);
    let (row, input) = if form.on_code { (0, &form.code) } else { (1, &form.at) };
    let column = 11 + u16::try_from(input.visual_cursor()).unwrap_or(0);
    if fields_at + row < text_area.height {
        frame.set_cursor_position((text_area.x + column.min(text_area.width), text_area.y + fields_at + row));
    }
}

pub(crate) fn close(model: &Model, form: &CloseForm, theme: &Theme, frame: &mut Frame<'_>) {
    let Some(device) = model.device() else { return };
    let size = frame.area();
    let title = format!(" Close the link to {} ", device.name());
    let inside = window(frame, theme, &title, 84.min(size.width.saturating_sub(2)), 18.min(size.height));
    let cells = usize::from(inside.width);
    let mut lines: Vec<Line<'_>> = vec![Line::raw("")];
    let by_hand = "By hand, on the device: Developer options, “Revoke USB debugging authorisations”, and under Wireless debugging “Paired devices”: its owner takes this computer's right away there.";
    if let Some(steps) = &form.steps {
        for step in steps {
            let (sign, style) = if step.done { ("✓", theme.good) } else { ("▲", theme.alert) };
            lines.push(Line::from(vec![
                Span::styled(format!(" {sign} "), style),
                Span::styled(fit(&step.what, 28), theme.strong),
                Span::styled(cut(&step.known, cells.saturating_sub(32)), theme.dim),
            ]));
        }
        if steps.is_empty() {
            lines.push(Line::raw(" The link has been let go of; nothing had to be changed."));
        }
        lines.push(Line::raw(""));
        lines.extend(wrap(by_hand, cells).into_iter().map(Line::raw));
        lines.push(Line::raw(""));
        lines.push(Line::styled("Any key goes on. r on the bench links it again, if it can be.", theme.dim));
    } else {
        let on = |on: bool| if on { "●" } else { "○" };
        let row = |key: &'static str, on_off: &'static str, words: String| {
            Line::from(vec![
                Span::styled(format!(" {on_off} "), theme.good),
                Span::styled(format!("{key:<3}"), theme.accent),
                Span::raw(words),
            ])
        };
        let awake = crate::tui::offers::stays_awake(device);
        lines.push(row(" ", on(awake), "let it sleep again as it did before, if that was changed from here".into()));
        lines.push(row(
            "k",
            on(!form.keep_debugging),
            "switch debugging off on it: the link goes with it, which shows it".into(),
        ));
        if !form.keep_debugging {
            let mut words = Vec::new();
            if device.capabilities.sdk >= 30 {
                words.push(wibbet_core::ask::DeviceSetting::WirelessDebuggingOff.words());
            }
            words.push(wibbet_core::ask::DeviceSetting::UsbDebuggingOff.words());
            lines.extend(words.into_iter().map(|w| Line::styled(format!("        ⟩ {w}"), theme.dim)));
        }
        lines.push(row("f", on(form.forget), "forget the device here; its runs stay in the logbook".into()));
        lines.push(Line::raw(""));
        lines.extend(wrap(by_hand, cells).into_iter().map(|l| Line::styled(l, theme.dim)));
        lines.push(Line::raw(""));
        lines.push(if form.working {
            Line::styled(format!("closing {}", turning(model.tick)), theme.accent)
        } else {
            Line::from(vec![
                Span::styled("s", theme.accent),
                Span::raw(" does it   "),
                Span::styled("Esc", theme.accent),
                Span::raw(" not now"),
            ])
        });
    }
    frame.render_widget(Paragraph::new(lines), inside);
}

pub(crate) fn own_screens(model: &Model, at: usize, act: usize, theme: &Theme, frame: &mut Frame<'_>) {
    let size = frame.area();
    let Some(screen) = model.own_screens.get(at) else { return };
    let high = (screen.lines.len() + screen.acts.len() + 8) as u16;
    let title = format!(" The own screen of the {} · simulated ", screen.name);
    let inside = window(frame, theme, &title, 66.min(size.width.saturating_sub(2)), high.min(size.height));
    let cells = usize::from(inside.width);
    let mut lines: Vec<Line<'_>> = vec![Line::raw("")];
    for text in &screen.lines {
        lines.extend(wrap(text, cells.saturating_sub(2)).into_iter().map(|l| Line::raw(format!("  {l}"))));
    }
    lines.push(Line::raw(""));
    let room = usize::from(inside.height).saturating_sub(lines.len() + 2);
    let act = act.min(screen.acts.len().saturating_sub(1));
    let first = first_shown(act, screen.acts.len(), room);
    for (n, what) in screen.acts.iter().enumerate().skip(first).take(room) {
        let (sign, style) = if n == act { ("⟩ ", theme.accent) } else { ("  ", theme.plain) };
        lines.push(Line::styled(format!("{sign}{}", what.words()), style));
    }
    lines.push(Line::raw(""));
    let place = format!("device {} of {}", at + 1, model.own_screens.len());
    let mut spans = Vec::new();
    for (key, words) in [("Enter", "do it"), ("←→", "device"), ("Esc", "back")] {
        spans.push(Span::styled(key, theme.accent));
        spans.push(Span::raw(format!(" {words}  ")));
    }
    spans.push(Span::styled(place, theme.dim));
    lines.push(Line::from(spans));
    frame.render_widget(Paragraph::new(lines), inside);
}
