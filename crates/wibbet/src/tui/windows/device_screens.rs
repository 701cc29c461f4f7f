//! In the demo: what the devices themselves show, and what their owner does there.

use ratatui::Frame;
use ratatui::layout::Rect;
use ratatui::text::{Line, Span};
use ratatui::widgets::Paragraph;
use wibbet_sim::OwnerAction;

use super::form::{ALL, Flow, Form, framed};
use crate::demo::{DemoAct, DemoScreen};
use crate::tui::app::App;
use crate::tui::keys::{Action, Layer};
use crate::tui::message::Effect;
use crate::tui::widgets::{Theme, draw_list, step, wrap};

/// The device that is looked at, and what would be done there.
#[derive(Debug, Clone, Default)]
pub(crate) struct DeviceScreens {
    at: usize,
    /// What is under the cursor. It is gone after by what it does and not by its place: while one looks, other things to do come
    /// and go.
    act: Option<DemoAct>,
}

impl DeviceScreens {
    /// Where the cursor stands in a list.
    fn place(&self, acts: &[DemoAct]) -> usize {
        acts.iter().position(|act| Some(act) == self.act.as_ref()).unwrap_or(0)
    }
}

impl Form for DeviceScreens {
    const OPENED_BY: Action = Action::DeviceScreens;
    const ABOUT_THE_DEVICE: bool = false;

    fn open(app: &mut App, _out: &mut Vec<Effect>) -> Option<Self> {
        if !app.simulated {
            return None;
        }
        let serial = app.device().and_then(|d| d.facts.as_ref()).map(|f| f.serial.as_str().to_owned());
        let place = |wanted: &dyn Fn(&DemoScreen) -> bool| app.device_screens.iter().position(wanted);
        // While pairing the one that can be paired is of interest.
        let pairs = |s: &DemoScreen| {
            s.acts.iter().any(|a| matches!(a, DemoAct::Owner(OwnerAction::ShowCode | OwnerAction::CloseDialog)))
        };
        let own = |s: &DemoScreen| Some(&s.serial) == serial.as_ref();
        let at = if app.pairing { place(&pairs) } else { place(&own) };
        let at = at.unwrap_or(0);
        Some(Self { at, act: app.device_screens.get(at).and_then(|screen| screen.acts.first()).cloned() })
    }

    fn layer(&self) -> Layer {
        Layer::DeviceScreens
    }

    fn act(&mut self, app: &mut App, action: Action, out: &mut Vec<Effect>) -> Flow {
        let count = app.device_screens.len();
        let Some(screen) = app.device_screens.get(self.at) else { return Flow::Close };
        let mut place = self.place(&screen.acts);
        match action {
            Action::PreviousField => (self.at, self.act, place) = ((self.at + count - 1) % count, None, 0),
            Action::NextField => (self.at, self.act, place) = ((self.at + 1) % count, None, 0),
            Action::Up => step(&mut place, screen.acts.len(), -1),
            Action::Down => step(&mut place, screen.acts.len(), 1),
            Action::Accept => {
                // What was chosen may not be there any more: then nothing is done.
                let chosen = self.act.as_ref().or(screen.acts.first()).filter(|act| screen.acts.contains(act)).cloned();
                out.extend(chosen.map(|act| Effect::Demo(screen.serial.clone(), act)));
            }
            _ => return Flow::Close,
        }
        self.act = app.device_screens.get(self.at).and_then(|screen| screen.acts.get(place)).cloned();
        Flow::Stay
    }

    fn draw(&self, app: &App, theme: &Theme, frame: &mut Frame<'_>) {
        let Some(screen) = app.device_screens.get(self.at) else { return };
        let columns = 74.min(frame.area().width.saturating_sub(2));
        let cells = usize::from(columns.saturating_sub(6));
        let mut lines: Vec<Line<'_>> = Vec::new();
        for text in &screen.lines {
            lines.extend(wrap(text, cells).into_iter().map(|l| Line::raw(format!("  {l}"))));
        }
        lines.push(Line::raw(""));
        let place = format!("  device {} of {}; what its owner does:", self.at + 1, app.device_screens.len());
        lines.push(Line::styled(place, theme.dim));
        let (said, acts) = (lines.len() as u16, screen.acts.len() as u16);
        let title = format!(" {}: its own screen · simulated ", screen.name);
        let room = framed(&title, (columns, said + acts), (Layer::DeviceScreens, ALL), theme, frame);
        frame.render_widget(Paragraph::new(lines), room);
        let list = Rect { y: room.y + said.min(room.height), height: room.height.saturating_sub(said), ..room };
        let at = self.place(&screen.acts);
        let row = |act: &DemoAct, n: usize| {
            let sign = if n == at { "⟩ " } else { "  " };
            Line::from(vec![Span::styled(sign, theme.accent), Span::styled(act.words(), theme.plain)])
        };
        draw_list(&screen.acts, at, row, theme, frame, list);
    }

    fn is_moving(&self) -> bool {
        true
    }
}
