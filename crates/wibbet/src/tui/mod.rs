//! The screen: a model, messages that change it, and a drawing of it.

mod actions;
mod app;
mod events;
mod find;
mod keys;
mod links;
mod message;
mod offers;
mod rooms;
mod update;
mod views;
mod widgets;
mod windows;

#[cfg(test)]
mod find_tests;
#[cfg(test)]
mod tests;

use std::io::stdout;
use std::sync::Arc;
use std::time::Duration;

use anyhow::Context as _;
use crossterm::event::{
    DisableBracketedPaste, DisableMouseCapture, EnableBracketedPaste, EnableMouseCapture, EventStream,
};
use crossterm::execute;
use futures_util::StreamExt as _;
use tokio::sync::mpsc;
use wibbet_bench::fleet::Bench;
use wibbet_bench::workplace::Workplace;

use crate::demo::Demo;
use crate::exit::Exit;
use app::{Model, Window};
use message::{Effect, Message};
use update::update;
use widgets::{Depth, Theme};

/// How long a run waits for a link that has gone.
const LINK_PATIENCE: Duration = Duration::from_secs(600);

/// What the screen works with.
pub(crate) struct Start {
    pub(crate) workplace: Workplace,
    /// Addresses that somebody named.
    pub(crate) addresses: Vec<String>,
    /// The devices of the demo workshop, in place of real ones.
    pub(crate) demo: Option<Arc<Demo>>,
    /// A folder that goes when the screen does.
    pub(crate) passing: Option<tempfile::TempDir>,
}

/// Runs the screen until it is quit. The first frame is there before anything is prepared: a key may have to be made,
/// devices of the demo started.
pub(crate) async fn run(simulated: bool, prepare: impl Future<Output = anyhow::Result<Start>>) -> anyhow::Result<Exit> {
    let mut terminal = ratatui::try_init()
        .context("the screen needs a terminal; without one, see `wibbet --help` for the commands")?;
    // A terminal without a mouse or pasting works all the same.
    let _ = execute!(stdout(), EnableMouseCapture, EnableBracketedPaste);
    let ended = prepared(simulated, prepare, &mut terminal).await;
    let _ = execute!(stdout(), DisableMouseCapture, DisableBracketedPaste);
    let restored = ratatui::try_restore().and_then(|()| terminal.show_cursor());
    if restored.is_err() {
        // The terminal has gone, and there is nothing to tell that to: what dropping it would do in
        // vain, and complain about, is left out.
        std::mem::forget(terminal);
    }
    ended.map(|()| Exit::Done)
}

async fn prepared(
    simulated: bool,
    prepare: impl Future<Output = anyhow::Result<Start>>,
    terminal: &mut ratatui::DefaultTerminal,
) -> anyhow::Result<()> {
    let size = terminal.size().map_or((80, 24), |s| (s.width, s.height));
    let mut model = Model::new(simulated, size, jiff::tz::TimeZone::system());
    let theme = Theme::new(Depth::detect());
    model.tell("Getting ready.");
    terminal.draw(|frame| views::draw(&model, &theme, frame))?;
    let Start { mut workplace, addresses, demo, passing: _passing } = prepare.await?;
    // Somebody sits at the screen, sees that a link is waited for, and can stop the run.
    workplace.patience.link = LINK_PATIENCE;
    model.note = None;
    Screen::new(workplace, addresses, demo, model, theme).live(terminal).await
}

struct Screen {
    workplace: Workplace,
    model: Model,
    theme: Theme,
    bench: Bench,
    demo: Option<Arc<Demo>>,
    told: mpsc::UnboundedSender<Message>,
    inbox: mpsc::UnboundedReceiver<Message>,
}

impl Screen {
    fn new(
        workplace: Workplace,
        addresses: Vec<String>,
        demo: Option<Arc<Demo>>,
        mut model: Model,
        theme: Theme,
    ) -> Self {
        let (told, inbox) = mpsc::unbounded_channel();
        if let Some(demo) = &demo {
            let _ = told.send(Message::OwnScreens(demo.screens(None)));
        }
        if demo.is_some() {
            model.tell(
                "These devices are simulated. t shows what they themselves show, and taps, scans and unplugs there.",
            );
        }
        let events = told.clone();
        let bench = Bench::start(workplace.clone(), addresses, move |event| {
            // The screen is ending when nobody listens any more.
            let _ = events.send(Message::Bench(event));
        });
        let (book, choices) = (workplace.book.clone(), told.clone());
        tokio::spawn(async move {
            let read = book.with(|book| Ok((book.choice(find::COLUMNS)?, book.choice(find::SEARCHES)?))).await;
            if let Ok((columns, searches)) = read {
                let _ = choices.send(Message::Choices(columns, searches));
            }
        });
        Self { workplace, model, theme, bench, demo, told, inbox }
    }

    async fn live(&mut self, terminal: &mut ratatui::DefaultTerminal) -> anyhow::Result<()> {
        let mut events = EventStream::new();
        let mut tick = tokio::time::interval(Duration::from_millis(150));
        tick.set_missed_tick_behavior(tokio::time::MissedTickBehavior::Skip);
        let terminated = crate::signals::terminated();
        tokio::pin!(terminated);
        loop {
            terminal.draw(|frame| views::draw(&self.model, &self.theme, frame))?;
            let mut messages = Vec::new();
            tokio::select! {
                event = events.next() => match event {
                    Some(event) => messages.push(Message::Terminal(event?)),
                    // The terminal has gone; what is on its way is settled at the next start.
                    None => return Ok(()),
                },
                message = self.inbox.recv() => messages.extend(message),
                () = &mut terminated => return Ok(()),
                _ = tick.tick(), if self.model.is_moving() => {
                    messages.push(Message::Tick);
                    self.look_at_own_screens(&mut messages);
                }
            }
            // Whatever else has come is taken in before the next drawing, so that a burst of events
            // costs one frame.
            while let Ok(message) = self.inbox.try_recv() {
                messages.push(message);
            }
            for message in messages {
                for effect in update(&mut self.model, message) {
                    if self.do_effect(effect) {
                        return Ok(());
                    }
                }
            }
        }
    }

    /// In the demo, the devices' own screens are looked at while they are shown.
    fn look_at_own_screens(&self, messages: &mut Vec<Message>) {
        let shown = matches!(self.model.popup, Some(Window::OwnScreens { .. } | Window::Pair(_)));
        if let Some(demo) = self.demo.as_ref().filter(|_| shown) {
            messages.push(Message::OwnScreens(demo.screens(self.model.qr.as_deref())));
        }
    }

    /// Does what an update asked for; true to end.
    fn do_effect(&mut self, effect: Effect) -> bool {
        match effect {
            Effect::Quit => return true,
            Effect::Bench(command) => self.bench.send(command),
            Effect::Demo(serial, act) => {
                if let Some(demo) = self.demo.clone() {
                    let told = self.told.clone();
                    tokio::spawn(async move {
                        if let Err(why) = demo.act(&serial, act).await {
                            let _ = told.send(Message::Trouble(why));
                        }
                    });
                }
            }
            Effect::Choose(name, value) => {
                let (book, told) = (self.workplace.book.clone(), self.told.clone());
                tokio::spawn(async move {
                    if let Err(error) = book.with(move |book| book.choose(name, &value)).await {
                        let _ = told.send(Message::Trouble(error.to_string()));
                    }
                });
            }
            Effect::Copy(text) => {
                use base64::Engine as _;
                use std::io::Write as _;
                // The sequence by which a terminal takes a text for the clipboard: OSC 52 of xterm.
                let coded = base64::engine::general_purpose::STANDARD.encode(text);
                let mut out = stdout();
                let _ = write!(out, "\x1b]52;c;{coded}\x07").and_then(|()| out.flush());
            }
            Effect::Write(name, end, text) => {
                let told = self.told.clone();
                tokio::task::spawn_blocking(move || {
                    let message = match find::write_new(&name, end, &text) {
                        Ok(path) => Message::Told(format!("Written to {}.", path.display())),
                        Err(why) => Message::Trouble(format!("{name}{end} could not be written: {why}")),
                    };
                    let _ = told.send(message);
                });
            }
            Effect::ReadLog => {
                let (book, told) = (self.workplace.book.clone(), self.told.clone());
                tokio::spawn(async move {
                    let runs = book.with(|book| book.runs(None)).await;
                    let message = Message::Log(runs.map_err(|error| error.to_string()));
                    let _ = told.send(message);
                });
            }
        }
        false
    }
}
