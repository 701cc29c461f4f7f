//! The screen: a model, messages that change it, and a drawing of it.

mod app;
mod draw;
mod effects;
mod events;
mod frame;
mod keys;
mod message;
mod model;
mod rooms;
mod update;
mod widgets;
mod windows;

#[cfg(test)]
mod tests;

use std::io::stdout;
use std::sync::{Arc, OnceLock};
use std::time::{Duration, Instant};

use anyhow::Context as _;
use crossterm::event::{
    DisableBracketedPaste, DisableMouseCapture, EnableBracketedPaste, EnableMouseCapture, Event, EventStream,
    MouseEventKind,
};
use crossterm::execute;
use futures_util::StreamExt as _;
use tokio::sync::mpsc;
use wibbet_bench::fleet::{Bench, BenchCommand, BenchEvent, CardId};
use wibbet_bench::workplace::Workplace;
use wibbet_types::{Address, PackageId};

use crate::config::Config;
use crate::demo::Demo;
use crate::exit::Exit;
use app::App;
use draw::draw;
use effects::Effects;
use keys::Action;
use message::Message;
use model::Model;
use update::update;
use widgets::{ColorDepth, Theme};
use windows::Window;

/// So long a view or a window has to stand before it is tapped: whoever taps twice has not seen what the first tap brought, and the second one
/// could fall on what sends it.
const TO_BE_SEEN: Duration = Duration::from_millis(450);

/// Whether something was tapped that came onto the screen but `since` ago.
fn is_too_soon(event: &Event, since: Duration) -> bool {
    matches!(event, Event::Mouse(mouse) if matches!(mouse.kind, MouseEventKind::Down(_))) && since < TO_BE_SEEN
}

/// How long a run waits for a link that has gone.
const LINK_PATIENCE: Duration = Duration::from_secs(600);

/// What the screen works with.
pub(crate) struct Start {
    pub(crate) workplace: Workplace,
    pub(crate) config: Config,
    /// Addresses that somebody named.
    pub(crate) addresses: Vec<Address>,
    /// The devices of the demo workshop, in place of real ones.
    pub(crate) demo: Option<Arc<Demo>>,
    /// Where apps of this computer's are looked for at first; where the program was started, without.
    pub(crate) apps: Option<std::path::PathBuf>,
    /// The program runs on a device itself: that is looked for first.
    pub(crate) on_itself: bool,
    /// A folder that goes when the screen does.
    pub(crate) passing: Option<tempfile::TempDir>,
}

/// Runs the screen until it is quit. The first frame is there before anything is prepared: a key may have to be made,
/// devices of the demo started.
pub(crate) async fn run(simulated: bool, prepare: impl Future<Output = anyhow::Result<Start>>) -> anyhow::Result<Exit> {
    let mut terminal = ratatui::try_init()
        .context("the screen needs a terminal; without one, see `wibbet --help` for the commands")?;
    keep_the_screen_for_others();
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
    let mut model = Model::new(App::new(simulated, size, crate::system::time_zone()));
    let theme = Theme::new(ColorDepth::detect());
    model.app.tell("Getting ready.");
    terminal.draw(|frame| draw(&model, &theme, frame))?;
    let Start { mut workplace, config, addresses, demo, apps, on_itself, passing: _passing } = prepare.await?;
    if let Some(apps) = apps.or_else(|| std::env::current_dir().ok()) {
        model.app.apps_folder = apps;
    }
    // Somebody sits at the screen, sees that a link is waited for, and can stop the run.
    workplace.patience.link = LINK_PATIENCE;
    model.app.notice = None;
    model.app.config = config;
    model.app.on_itself = on_itself;
    let mut screen = Screen::new(workplace, addresses, demo, model, theme);
    if on_itself {
        screen.look_for_itself();
    }
    screen.live(terminal).await
}

struct Screen {
    model: Model,
    /// What is read first: the packages in sight of which something is still to be read.
    in_sight: Option<(CardId, Vec<PackageId>)>,
    theme: Theme,
    effects: Effects,
    demo: Option<Arc<Demo>>,
    messages: mpsc::UnboundedReceiver<Message>,
}

impl Screen {
    fn new(
        workplace: Workplace,
        addresses: Vec<Address>,
        demo: Option<Arc<Demo>>,
        mut model: Model,
        theme: Theme,
    ) -> Self {
        let (sender, messages) = mpsc::unbounded_channel();
        if let Some(demo) = &demo {
            let _ = sender.send(Message::DeviceScreens(demo.screens(None)));
            let shows = model.app.called_here(Action::DeviceScreens);
            model.app.tell(format!("These devices are simulated. {shows} shows what their owner sees."));
        }
        let (events, logbook) = (sender.clone(), workplace.book.clone());
        let bench = Bench::start(workplace, addresses, move |event| {
            // The screen is ending when nobody receives them any more.
            let _ = events.send(Message::Bench(event));
        });
        // A second screen in one program would tell the first.
        let _ = FAILURES.set(sender.clone());
        let effects =
            Effects { bench, logbook, config: model.app.config.clone(), demo: demo.clone(), messages: sender };
        effects.read_choices();
        Self { model, in_sight: None, theme, effects, demo, messages }
    }

    /// Begins with the window about the device that the program runs on.
    fn look_for_itself(&mut self) {
        let mut effects = Vec::new();
        self.model.windows.extend(Window::open(&mut self.model.app, Action::Here, &mut effects));
        for effect in effects {
            self.effects.apply(effect);
        }
    }

    async fn live(&mut self, terminal: &mut ratatui::DefaultTerminal) -> anyhow::Result<()> {
        let mut events = EventStream::new();
        let (mut is_new, mut seen_since) = (true, Instant::now());
        let mut tick = tokio::time::interval(Duration::from_millis(150));
        tick.set_missed_tick_behavior(tokio::time::MissedTickBehavior::Skip);
        let terminated = crate::signals::terminated();
        tokio::pin!(terminated);
        loop {
            terminal.draw(|frame| draw(&self.model, &self.theme, frame))?;
            self.model.tappable = self.theme.taps.drawn();
            if std::mem::take(&mut is_new) {
                seen_since = Instant::now();
            }
            let mut messages = Vec::new();
            tokio::select! {
                event = events.next() => match event {
                    Some(event) => {
                        let event = event?;
                        if !is_too_soon(&event, seen_since.elapsed()) {
                            messages.push(Message::Terminal(event));
                        }
                    }
                    // The terminal has gone; what is on its way is settled at the next start.
                    None => return Ok(()),
                },
                message = self.messages.recv() => messages.extend(message),
                () = &mut terminated => return Ok(()),
                _ = tick.tick(), if self.model.is_moving() => {
                    messages.push(Message::Tick);
                    self.look_at_device_screens(&mut messages);
                }
            }
            // Whatever else has come is taken in before the next drawing, so that a burst of events
            // costs one frame.
            while let Ok(message) = self.messages.try_recv() {
                messages.push(message);
            }
            let before = self.model.stands();
            for message in messages {
                for effect in update(&mut self.model, message) {
                    if self.effects.apply(effect) {
                        return Ok(());
                    }
                }
            }
            is_new = self.model.stands() != before;
            let in_sight = rooms::in_sight(&self.model.app);
            if in_sight != self.in_sight {
                if let Some((card, ids)) = &in_sight {
                    self.effects.bench.send(BenchCommand::LookAt(*card, ids.iter().cloned().collect()));
                }
                self.in_sight = in_sight;
            }
        }
    }

    /// In the demo, the devices' own screens are looked at while they are shown.
    fn look_at_device_screens(&self, messages: &mut Vec<Message>) {
        let shown = |w: &Window| matches!(w, Window::DeviceScreens(_) | Window::Pair(_));
        if let Some(demo) = self.demo.as_ref().filter(|_| self.model.windows.iter().any(shown)) {
            messages.push(Message::DeviceScreens(demo.screens(self.model.app.qr.as_deref())));
        }
    }
}

/// Where it is told that a task has failed, once there is a screen.
static FAILURES: OnceLock<mpsc::UnboundedSender<Message>> = OnceLock::new();

/// A mistake in a task beside the screen's own is shown on the screen. What takes a panic for the end of the program would
/// give the terminal back while the screen goes on, perhaps with a run on another device.
fn keep_the_screen_for_others() {
    let ending = std::panic::take_hook();
    let own = std::thread::current().id();
    std::panic::set_hook(Box::new(move |panic| {
        if std::thread::current().id() == own {
            return ending(panic);
        }
        let place = panic.location().map_or_else(String::new, |at| format!(" ({}:{})", at.file(), at.line()));
        let note = format!("A part of Wibbet has failed{place}; what was sent is in the logbook. Please report it.");
        if let Some(screen) = FAILURES.get() {
            // A screen that is ending has nobody to tell it to.
            let _ = screen.send(Message::Bench(BenchEvent::Note(note)));
        }
    }));
}
