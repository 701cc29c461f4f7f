//! A device over the debugging protocol.

use std::collections::BTreeSet;
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};

use wibbet_adb::{
    CallError, Channel, Collected, Feature, KeyRing, Limits, Link, LinkError, Progress, Service, Sink as _, SyncClient,
    SyncError,
};
use wibbet_core::android::{Abilities, Offered};
use wibbet_core::ask::{Answer, Carriage, Request, says_not_ready};
use wibbet_core::device::DeviceFacts;
use wibbet_core::read::{
    ANDROID_ID, Properties, RangeTools, commands_requests, probe_command, read_android_id, read_commands, read_probe,
};
use wibbet_types::{DevicePath, Serial};

use crate::device::{AskError, Device};
use crate::route::{Route, Sighting, Surroundings};
use crate::runner::Patience;

/// How far the making of a link has got.
pub type LinkStep = Progress;

/// A device, by whichever ways there are to it. The link is made at the first request, by the best way
/// that works, and again whenever it has gone; each time the device is asked what it is, so that a
/// request never reaches another device that has taken over its place.
#[derive(Debug)]
pub struct AdbDevice {
    routes: Mutex<Routes>,
    surroundings: Arc<Surroundings>,
    keys: Arc<KeyRing>,
    limits: Limits,
    patience: Patience,
    /// It is looked for by its serial when it has gone.
    follows: AtomicBool,
    live: tokio::sync::Mutex<Option<Link>>,
    known: Mutex<Known>,
}

#[derive(Debug, Default)]
struct Routes {
    /// Best first.
    all: Vec<Route>,
    /// The one in use, or the last that was.
    last: Option<Route>,
}

#[derive(Debug)]
struct Known {
    facts: Option<DeviceFacts>,
    /// The package service's commands, from its help.
    commands: Vec<String>,
    abilities: Abilities,
    /// The help of the package service has been read, or is not needed.
    learned: bool,
    /// Programs with commands that they turned out not to know.
    unknown: BTreeSet<String>,
    /// With what ranges of files are read there, once that has been tried: `None` inside for nothing that works.
    tools: Option<Option<RangeTools>>,
}

impl AdbDevice {
    /// A device that has not been contacted yet.
    pub fn new(
        routes: Vec<Route>,
        surroundings: Arc<Surroundings>,
        keys: Arc<KeyRing>,
        limits: Limits,
        patience: Patience,
    ) -> Self {
        let abilities = Abilities::new(0, Offered::default());
        let mut all = Vec::new();
        routes.into_iter().for_each(|route| route.take_into(&mut all));
        Self {
            routes: Mutex::new(Routes { all, last: None }),
            surroundings,
            keys,
            limits,
            patience,
            follows: AtomicBool::new(false),
            live: tokio::sync::Mutex::new(None),
            known: Mutex::new(Known {
                facts: None,
                commands: Vec::new(),
                abilities,
                learned: false,
                unknown: BTreeSet::new(),
                tools: None,
            }),
        }
    }

    fn ways(&self) -> MutexGuard<'_, Routes> {
        self.routes.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// The ways to it that are known, best first.
    pub fn routes(&self) -> Vec<Route> {
        self.ways().all.clone()
    }

    /// The way that is in use, or was used last, or would be tried first.
    pub fn route(&self) -> Option<Route> {
        let ways = self.ways();
        ways.last.clone().or_else(|| ways.all.first().cloned())
    }

    /// The serial by which it goes where it was last linked: on its cable, or in another program's server. It need not
    /// be the one that the device tells.
    pub fn known_as(&self) -> Option<String> {
        match self.route()? {
            Route::Server(serial) => Some(serial),
            Route::Cable(place) => {
                let seen = self.surroundings.on_cables().into_iter().find(|seen| seen.place == place)?;
                Some(seen.serial.into_string()).filter(|serial| !serial.is_empty())
            }
            Route::Air { .. } | Route::Address(_) => None,
        }
    }

    /// From now on the device is looked for by its serial when it has gone: plugged in again it has another place on
    /// the bus. The bench, which watches all places anyway, does not need this.
    pub fn follow(&self) {
        self.follows.store(true, Ordering::Relaxed);
    }

    fn look_for_it(&self) {
        let Some(serial) = self.facts().map(|f| f.serial).filter(|_| self.follows.load(Ordering::Relaxed)) else {
            return;
        };
        let cables = self.surroundings.on_cables();
        let air = self.surroundings.on_air();
        let seen = cables.iter().map(Sighting::on_cable).chain(air.iter().filter_map(Sighting::on_air));
        seen.filter(|s| s.serial == serial.as_str()).for_each(|s| self.add_route(s.route));
    }

    /// There is one way more.
    pub fn add_route(&self, route: Route) {
        route.take_into(&mut self.ways().all);
    }

    /// A way is gone.
    pub fn remove_route(&self, route: &Route) {
        self.ways().all.retain(|r| r != route);
    }

    /// The way to it, in words.
    pub fn address(&self) -> String {
        self.route().map_or_else(|| "no way".into(), |route| route.to_string())
    }

    /// Whether the link is encrypted; `None` without one.
    pub async fn is_encrypted(&self) -> Option<bool> {
        self.live.lock().await.as_ref().map(Link::is_encrypted)
    }

    /// The features that its daemon announced, and the package service's commands.
    pub async fn offers(&self) -> (Vec<&'static str>, Vec<String>) {
        let features = self.live.lock().await.as_ref().map_or_else(Vec::new, |l| l.banner().features.names());
        (features, self.known().commands.clone())
    }

    /// Takes the name by which the logbook knows it.
    pub fn set_id(&self, id: Serial) {
        if let Some(facts) = &mut self.known().facts {
            facts.id = id;
        }
    }

    /// Takes for known what a device was before, so that another one in its place is noticed.
    pub fn expect(&self, facts: DeviceFacts) {
        self.known().facts = Some(facts);
    }

    /// What the device is, once it has been contacted.
    pub fn facts(&self) -> Option<DeviceFacts> {
        self.known().facts.clone()
    }

    fn known(&self) -> MutexGuard<'_, Known> {
        self.known.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Makes the link if there is none, telling how far it has got, and what the device is.
    pub async fn connect(&self, progress: &mut (dyn FnMut(LinkStep) + Send)) -> Result<DeviceFacts, AskError> {
        self.link(progress).await?;
        self.facts().ok_or_else(|| AskError::Broken("the device did not say what it is".into()))
    }

    /// Waits until the link has gone. Returns at once when there is none.
    pub async fn gone(&self) -> LinkError {
        let link = self.live.lock().await.clone();
        match link {
            Some(link) => link.ended().await,
            None => LinkError::Lost { at: self.address(), why: "there is no link".into() },
        }
    }

    /// Ends the link, if there is one; the next request makes it anew.
    pub async fn hang_up(&self) {
        *self.live.lock().await = None;
    }

    async fn link(&self, progress: &mut (dyn FnMut(LinkStep) + Send)) -> Result<Link, AskError> {
        let mut live = self.live.lock().await;
        let link = match live.as_ref().filter(|link| !link.is_ended()) {
            Some(link) => link.clone(),
            None => {
                *live = None;
                let link = self.any_way(progress).await?;
                *live = Some(link.clone());
                link
            }
        };
        if !self.known().learned {
            let help = self.shell(&link, "pm").await.map_err(|e| self.nothing_sent(e))?;
            let text = help.text();
            let known = &mut *self.known();
            // A device that is still starting has no help to give and is asked again next time. One
            // that gives something else never will: then nothing is taken for granted.
            known.learned = known.abilities.learn_from_help(&text) || !says_not_ready(&text);
        }
        Ok(link)
    }

    /// Tries one way after the other. Of several troubles that of the best way is told.
    async fn any_way(&self, progress: &mut (dyn FnMut(LinkStep) + Send)) -> Result<Link, AskError> {
        let mut first = None;
        self.look_for_it();
        for route in self.routes() {
            let made = self.by(&route, progress).await;
            let met = match made {
                Ok(link) => {
                    self.ways().last = Some(route);
                    self.meet(&link).await.map(|()| link)
                }
                Err(error) => Err(AskError::NoLink(error)),
            };
            match met {
                Ok(link) => return Ok(link),
                Err(error) => drop(first.get_or_insert(error)),
            }
        }
        Err(first.unwrap_or_else(|| {
            let last = self.ways().last.clone();
            let (at, why) = match &last {
                Some(Route::Cable(_)) => ("USB".to_owned(), "the cable was pulled, or debugging switched off"),
                Some(route) => (route.to_string(), "it is not announced any more"),
                None => ("the device".to_owned(), "there is no way to it"),
            };
            AskError::NoLink(LinkError::Lost { at, why: why.into() })
        }))
    }

    async fn by(&self, route: &Route, progress: &mut (dyn FnMut(LinkStep) + Send)) -> Result<Link, LinkError> {
        let missing =
            |what: &str| LinkError::NoAnswer { at: route.to_string(), why: format!("{what} is not looked at") };
        match route {
            Route::Cable(place) => {
                let bus = self.surroundings.bus.as_ref().ok_or_else(|| missing("the USB bus"))?;
                Link::connect_usb(&**bus, place, &self.keys, &self.limits, progress).await
            }
            Route::Server(serial) => {
                let server = self.surroundings.server.as_ref().ok_or_else(|| missing("the debugging server"))?;
                Link::connect_server(server, serial, &self.limits, progress).await
            }
            Route::Air { at, .. } | Route::Address(at) => {
                Link::connect_tcp(at, &self.keys, &self.limits, progress).await
            }
        }
    }

    /// What a failure means before the request itself has been sent.
    fn nothing_sent(&self, error: CallError) -> AskError {
        match error {
            CallError::Link(link) => AskError::NoLink(link),
            other => AskError::NoLink(LinkError::Lost { at: self.address(), why: other.to_string() }),
        }
    }

    /// Asks a device that has just been linked what it is.
    async fn meet(&self, link: &Link) -> Result<(), AskError> {
        let features = &link.banner().features;
        let offered = Offered {
            abb: features.has(Feature::Abb),
            abb_exec: features.has(Feature::AbbExec),
            cmd: features.has(Feature::Cmd),
        };
        let state = &link.banner().state;
        if !matches!(state.as_str(), "device" | "") {
            return Err(AskError::NotAndroid(format!("{} is in the mode “{state}”, not in Android", self.address())));
        }
        let said = self.shell(link, "getprop").await.map_err(|e| self.nothing_sent(e))?;
        let stand_in = stand_in_serial(&self.address());
        let mut facts = Properties::read(&said.out).facts(&stand_in).ok_or_else(|| {
            AskError::NoLink(LinkError::Broken {
                at: self.address(),
                rule: "it does not tell its version of Android".into(),
            })
        })?;
        let id = self.shell(link, ANDROID_ID).await.map_err(|e| self.nothing_sent(e))?;
        facts.android_id = read_android_id(&id.out);
        {
            let known = self.known();
            if let Some(before) = known.facts.as_ref().filter(|before| !before.is_same_device(&facts)) {
                return Err(AskError::OtherDevice(format!(
                    "at {} there is {} (serial {}) now, not {} (serial {}). Nothing was sent to it",
                    self.address(),
                    facts.name(),
                    facts.serial,
                    before.name(),
                    before.serial
                )));
            }
            if let Some(before) = &known.facts {
                facts.id = before.id.clone();
                facts.android_id = facts.android_id.or_else(|| before.android_id.clone());
            }
        }
        let fresh = Abilities::new(facts.android.sdk(), offered);
        let mut known = self.known();
        if fresh.needs_help_text() && known.learned {
            // The same device as before: what its help said still holds.
            known.abilities.offered = offered;
        } else {
            known.abilities = fresh;
            known.learned = !fresh.needs_help_text();
        }
        known.facts = Some(facts);
        Ok(())
    }

    /// Learns once which commands the package service has, from its help.
    pub(crate) async fn learn_commands(&self) -> Result<(), AskError> {
        if self.known().commands.is_empty() {
            let mut help = String::new();
            for request in commands_requests(&self.abilities()) {
                help.push_str(&self.ask(&request, &mut |_| {}).await?.text());
                help.push('\n');
            }
            self.known().commands = read_commands(&help);
        }
        Ok(())
    }

    /// Looks at many files at once: length and time of each that is there, in their order. The length is modulo 2³².
    pub(crate) async fn stat(&self, paths: &[DevicePath]) -> Result<Vec<Option<(u32, u32)>>, AskError> {
        let link = self.link(&mut |_| {}).await?;
        let looked = async {
            let mut sync = SyncClient::open(&link, self.patience.look).await?;
            sync.stat_many(paths).await
        };
        let entries = looked.await.map_err(|e| asked(&e))?;
        Ok(entries.into_iter().map(|e| (e.mode != 0).then_some((e.size, e.time))).collect())
    }

    /// Fetches a whole file of at most `most` bytes.
    pub(crate) async fn fetch(&self, path: &DevicePath, most: usize) -> Result<Vec<u8>, AskError> {
        let link = self.link(&mut |_| {}).await?;
        let mut bytes = Vec::new();
        let fetched = async {
            let mut sync = SyncClient::open(&link, self.patience.look).await?;
            let mut take =
                |piece: &[u8]| bytes.extend_from_slice(&piece[..piece.len().min(most - bytes.len().min(most))]);
            sync.recv(path, &mut take).await
        };
        fetched.await.map_err(|e| asked(&e))?;
        Ok(bytes)
    }

    /// Runs a command whose output is no text.
    pub(crate) async fn raw(&self, command: &str, out: &mut (dyn FnMut(&[u8]) + Send)) -> Result<(), AskError> {
        let link = self.link(&mut |_| {}).await?;
        let service = match link.banner().features.has(Feature::ShellV2) {
            true => Service::ShellV2(command.to_owned()),
            false => Service::Exec(command.to_owned()),
        };
        let limits = Limits { idle: self.patience.look, ..self.limits };
        let mut sink = |channel: Channel, data: &[u8]| {
            if channel == Channel::Out {
                out(data);
            }
        };
        link.call(&service, &limits, &mut sink).await.map(|_| ()).map_err(|e| asked(&SyncError::Call(e)))
    }

    /// The longest command that reaches the device whole, in bytes: it opens a stream by its name, and a shell takes
    /// but so much for one word.
    pub(crate) async fn longest_command(&self) -> Result<usize, AskError> {
        const MOST: usize = 60_000;
        let link = self.link(&mut |_| {}).await?;
        Ok(link.longest_name().min(MOST).saturating_sub(64))
    }

    /// With what ranges of files are read, found out at the first call with a file to try it on.
    pub(crate) async fn range_tools(&self, file: &DevicePath, size: u64) -> Result<Option<RangeTools>, AskError> {
        if let Some(tools) = self.known().tools {
            return Ok(tools);
        }
        let mut said = Vec::new();
        self.raw(&probe_command(file, size), &mut |piece| said.extend_from_slice(&piece[..piece.len().min(4096)]))
            .await?;
        let tools = read_probe(&said);
        self.known().tools = Some(tools);
        Ok(tools)
    }

    async fn shell(&self, link: &Link, command: &str) -> Result<Answer, CallError> {
        let mut said = Collected::default();
        let limits = Limits { idle: self.patience.look, ..self.limits };
        let code = link.call(&shell_service(link, command), &limits, &mut said).await?;
        Ok(answer(said, code))
    }

    /// A service that was announced has been refused: it is not tried again.
    fn forget(&self, carriage: &Carriage) {
        let offered = &mut self.known().abilities.offered;
        match carriage {
            Carriage::Abb(_) => offered.abb = false,
            Carriage::AbbExec(_) => offered.abb_exec = false,
            Carriage::Shell(_) => {}
        }
    }
}

impl Device for AdbDevice {
    fn abilities(&self) -> Abilities {
        self.known().abilities
    }

    async fn ask(&self, request: &Request, out: &mut (dyn FnMut(&[u8]) + Send)) -> Result<Answer, AskError> {
        let link = self.link(&mut |_| {}).await?;
        let idle = if request.changes { self.patience.change } else { self.patience.look };
        let limits = Limits { idle, ..self.limits };
        let mut refused = None;
        let mut unknown = None;
        let all = request.carriages(&self.abilities());
        let mut carriages = all.clone();
        carriages.retain(|carriage| !self.known().unknown.contains(&carriage.program_and_command()));
        // Where none of them is known to know the command, the device says so again.
        for carriage in if carriages.is_empty() { all } else { carriages } {
            let service = match &carriage {
                Carriage::Abb(words) => Service::Abb(words.clone()),
                Carriage::AbbExec(words) => Service::AbbExec(words.clone()),
                Carriage::Shell(command) => shell_service(&link, command),
            };
            let mut said = Collected::default();
            let mut sink = |channel: Channel, data: &[u8]| {
                if channel == Channel::Out {
                    out(data);
                }
                said.piece(channel, data);
            };
            match link.call(&service, &limits, &mut sink).await {
                Ok(code) => {
                    let answer = answer(said, code);
                    if !answer.says_unknown_command() {
                        return Ok(answer);
                    }
                    // Nothing was done; another program may know the command, and this one is not asked again.
                    self.known().unknown.insert(carriage.program_and_command());
                    unknown = Some(answer);
                }
                Err(CallError::Refused { service }) => {
                    self.forget(&carriage);
                    refused = Some(format!("the device refused “{service}”"));
                }
                Err(CallError::Link(error)) => return Err(AskError::Lost(error)),
                Err(error @ CallError::Silent { .. }) => return Err(AskError::Silent(error.to_string())),
                Err(error) => return Err(AskError::Broken(error.to_string())),
            }
        }
        if let Some(answer) = unknown {
            return Ok(answer);
        }
        Err(AskError::Refused(refused.unwrap_or_else(|| "the device offers no way to ask that".into())))
    }
}

fn asked(error: &SyncError) -> AskError {
    match error {
        SyncError::Call(CallError::Link(error)) => AskError::Lost(error.clone()),
        SyncError::Call(error @ CallError::Silent { .. }) => AskError::Silent(error.to_string()),
        SyncError::Call(error @ CallError::Refused { .. }) => AskError::Refused(error.to_string()),
        SyncError::Failed { .. } => AskError::Refused(error.to_string()),
        error => AskError::Broken(error.to_string()),
    }
}

fn shell_service(link: &Link, command: &str) -> Service {
    if link.banner().features.has(Feature::ShellV2) {
        Service::ShellV2(command.to_owned())
    } else {
        Service::OldShell(command.to_owned())
    }
}

fn answer(said: Collected, code: Option<u8>) -> Answer {
    let text = |bytes: &[u8]| String::from_utf8_lossy(bytes).into_owned();
    Answer { out: text(&said.out), err: text(&said.err), code }
}

/// A serial for a device that names none: its address, which is all that tells it apart.
fn stand_in_serial(address: &str) -> Serial {
    let clean: String = address.chars().map(|c| if c.is_ascii_graphic() { c } else { '-' }).take(100).collect();
    #[expect(clippy::expect_used, reason = "a prefix and visible ASCII always make a serial")]
    format!("at-{clean}").parse().expect("visible ASCII")
}
