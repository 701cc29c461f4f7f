//! A device over the debugging protocol: asking it over the best link.

use std::collections::BTreeSet;
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};
use std::time::{Duration, Instant};

use wibbet_adb::{
    CallError, Channel, Collected, Feature, KeyRing, Link, Progress, Service, Sink as _, SyncError, Timeouts,
};
use wibbet_core::android::{Capabilities, DaemonFeatures, RootWay};
use wibbet_core::ask::{Delivery, Output, Request};
use wibbet_core::device::DeviceFacts;
use wibbet_core::read::{RangeTools, ShortForm, commands_requests, read_commands};
use wibbet_types::{DeviceId, DevicePath, PackageId, PlainText};

use super::claims::DeviceClaims;
use super::device::{AskError, Device};
use crate::around::{Route, Surroundings, is_here};
use crate::policy::RunPolicy;

/// So many bytes of a file are asked for in one command.
const AT_ONCE: u64 = 16 << 20;

/// How long a link may take to answer when it is asked whether it is there yet.
const STILL_THERE: Duration = Duration::from_secs(5);

/// How far the making of a link has got.
pub type LinkStep = Progress;

/// A device, by whichever ways there are to it. The link is made at the first request, by the best way
/// that works, and again whenever it has gone; each time the device is asked what it is, so that a
/// request never reaches another device that has taken over its place.
#[derive(Debug)]
pub struct AdbDevice {
    routes: Mutex<Routes>,
    pub(super) surroundings: Arc<Surroundings>,
    pub(super) keys: Arc<KeyRing>,
    pub(super) limits: Timeouts,
    pub(super) patience: RunPolicy,
    /// The link was made by a tap on the device: whether it stored the key is not known.
    pub(super) tapped: AtomicBool,
    /// Somebody wants to go by what is only hearsay.
    believes: AtomicBool,
    /// It starts anew by itself while something is done to it.
    pub(super) restarts: AtomicBool,
    /// It is looked for by its serial when it has gone.
    pub(super) follows: AtomicBool,
    pub(super) live: tokio::sync::Mutex<Option<Link>>,
    known: Mutex<Known>,
}

#[derive(Debug, Default)]
pub(super) struct Routes {
    /// Best first.
    pub(super) all: Vec<Route>,
    /// The one in use, or the last that was.
    pub(super) last: Option<Route>,
    /// The serial by which it goes on its cable.
    pub(super) goes_by: Option<String>,
}

#[derive(Debug)]
pub(super) struct Known {
    pub(super) facts: Option<DeviceFacts>,
    /// It has its name in the logbook.
    noted: bool,
    /// The right to change it, while that is being done.
    pub(super) claims: Option<DeviceClaims>,
    /// The package service's commands, from its help.
    pub(super) commands: Vec<String>,
    pub(super) capabilities: Capabilities,
    /// The help of the package service has been read, or is not needed.
    pub(super) learned: bool,
    /// How far the short form of the dump of its packages can be relied on.
    pub(super) short_form: Option<Arc<ShortForm>>,
    /// Programs with commands that they turned out not to know.
    pub(super) unknown: BTreeSet<String>,
    /// With what ranges of files are read there, once that has been tried: `None` inside for nothing that works.
    pub(super) tools: Option<Option<RangeTools>>,
}

impl AdbDevice {
    /// A device that has not been contacted yet.
    pub fn new(
        routes: Vec<Route>,
        surroundings: Arc<Surroundings>,
        keys: Arc<KeyRing>,
        limits: Timeouts,
        patience: RunPolicy,
    ) -> Self {
        let capabilities = Capabilities::new(0, DaemonFeatures::default());
        let mut all = Vec::new();
        routes.into_iter().for_each(|route| route.take_into(&mut all));
        Self {
            routes: Mutex::new(Routes { all, last: None, goes_by: None }),
            surroundings,
            keys,
            limits,
            patience,
            tapped: AtomicBool::new(false),
            believes: AtomicBool::new(false),
            restarts: AtomicBool::new(false),
            follows: AtomicBool::new(false),
            live: tokio::sync::Mutex::new(None),
            known: Mutex::new(Known {
                facts: None,
                noted: false,
                claims: None,
                commands: Vec::new(),
                capabilities,
                learned: false,
                short_form: None,
                unknown: BTreeSet::new(),
                tools: None,
            }),
        }
    }

    pub(super) fn ways(&self) -> MutexGuard<'_, Routes> {
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

    /// Whether nobody knows who is at the end of the ways to it.
    pub(crate) fn is_hearsay(&self) -> bool {
        self.ways().all.iter().all(|route| matches!(route, Route::Remembered(_) | Route::Hearsay { .. }))
    }

    /// Whether the link was made by a tap on the device.
    pub(crate) fn was_tapped(&self) -> bool {
        self.tapped.load(Ordering::Relaxed)
    }

    /// The keys by which devices know this computer, a line each.
    pub(crate) fn key_lines(&self) -> Vec<String> {
        self.keys.all().map(|key| key.public().line()).collect()
    }

    /// From now on it is looked for at addresses that nobody has named, too: somebody wants that.
    pub fn believe_hearsay(&self) {
        self.believes.store(true, Ordering::Relaxed);
    }

    /// The ways that may be tried, best first.
    pub(super) fn ways_to_try(&self) -> Vec<Route> {
        let believes = self.believes.load(Ordering::Relaxed);
        self.routes().into_iter().filter(|route| believes || !matches!(route, Route::Hearsay { .. })).collect()
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

    /// Where it may be found another time; empty where that is not to be remembered. The port of wireless debugging is
    /// that of one start, and the network that of one customer: another device may be there next time.
    pub fn lasting_address(&self) -> String {
        match self.route() {
            Some(Route::Air { .. }) => String::new(),
            _ => self.address(),
        }
    }

    /// The features that its daemon announced, and the package service's commands.
    pub async fn offers(&self) -> (Vec<&'static str>, Vec<String>) {
        let features = self.live.lock().await.as_ref().map_or_else(Vec::new, |l| l.banner().features.names());
        (features, self.known().commands.clone())
    }

    /// Takes the name by which the logbook knows it.
    pub(crate) fn set_id(&self, id: DeviceId) {
        let known = &mut *self.known();
        if let Some(facts) = &mut known.facts {
            facts.id = id;
            known.noted = true;
        }
    }

    /// Whether the id that it goes by is its name in the logbook, and not made of its serial for want of one.
    pub(crate) fn is_noted(&self) -> bool {
        self.known().noted
    }

    /// As long as what is given back lives, another boot id than before is no reason not to believe that it is the device: it has to show
    /// its Android id all the same by a way that nobody has chosen.
    pub(crate) fn restarts_are_expected(&self) -> RestartsExpected<'_> {
        self.restarts.store(true, Ordering::Relaxed);
        RestartsExpected(self)
    }

    /// Keeps the right to change it as long as what is given back lives.
    pub(crate) fn claimed(&self, claims: DeviceClaims) -> Claimed<'_> {
        self.known().claims = Some(claims);
        Claimed(self)
    }

    /// What the device is, once it has been contacted.
    pub fn facts(&self) -> Option<DeviceFacts> {
        self.known().facts.clone()
    }

    /// The device carries commands out as root by this way, or not any more.
    pub(crate) fn has_root(&self, way: Option<RootWay>) {
        self.known().capabilities.root = way;
    }

    pub(super) fn known(&self) -> MutexGuard<'_, Known> {
        self.known.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Learns once which commands the package service has, from its help.
    pub(crate) async fn learn_commands(&self) -> Result<(), AskError> {
        if self.known().commands.is_empty() {
            let mut help = String::new();
            for request in commands_requests(&self.capabilities()) {
                help.push_str(&self.ask(&request, &mut |_| {}).await?.text());
                help.push('\n');
            }
            self.known().commands = read_commands(&help);
        }
        Ok(())
    }

    pub(super) async fn shell(&self, link: &Link, command: &str) -> Result<Output, CallError> {
        let mut said = Collected::default();
        let limits = Timeouts { idle: self.patience.look, ..self.limits };
        let code = link.call(&shell_service(link, command), &limits, &mut said).await?;
        Ok(answer(said, code))
    }

    /// Whether anything is answered over the link at all.
    async fn still_answers(&self, link: &Link) -> bool {
        let limits = Timeouts { idle: STILL_THERE, ..self.limits };
        let asked = link.call(&shell_service(link, "echo"), &limits, &mut Collected::default()).await;
        !matches!(asked, Err(CallError::Silent { .. } | CallError::Link(_)))
    }

    /// A service that was announced has been refused: it is not tried again.
    fn forget(&self, carriage: &Delivery) {
        let offered = &mut self.known().capabilities.offered;
        match carriage {
            Delivery::Abb(_) => offered.abb = false,
            Delivery::AbbExec(_) => offered.abb_exec = false,
            Delivery::Shell(_) => {}
        }
    }
}

/// The right to change a device. It ends when this is dropped.
#[derive(Debug)]
pub struct Claimed<'a>(&'a AdbDevice);

/// A device that is known to start over and over. It ends when this is dropped.
#[derive(Debug)]
pub(crate) struct RestartsExpected<'a>(&'a AdbDevice);

impl Drop for RestartsExpected<'_> {
    fn drop(&mut self) {
        self.0.restarts.store(false, Ordering::Relaxed);
    }
}

impl Drop for Claimed<'_> {
    fn drop(&mut self) {
        self.0.known().claims = None;
    }
}

impl Device for AdbDevice {
    fn capabilities(&self) -> Capabilities {
        self.known().capabilities
    }

    fn start(&self) -> Option<String> {
        self.facts()?.boot_id.map(|id| id.to_string())
    }

    fn ground(&self) -> Option<PackageId> {
        let ground = self.surroundings.ground.clone()?;
        let here = self.routes().iter().any(|route| route.at().is_some_and(is_here));
        let own = std::fs::read_to_string("/proc/sys/kernel/random/boot_id").ok();
        let started = self.facts().and_then(|facts| facts.boot_id);
        may_be_this(here, own.as_deref(), started.as_ref().map(PlainText::as_str)).then_some(ground)
    }

    fn short_form(&self) -> Option<Arc<ShortForm>> {
        self.known().short_form.clone()
    }

    fn rely_on_short_form(&self, form: Option<ShortForm>) {
        self.known().short_form = form.map(Arc::new);
    }

    async fn lengths(&self, paths: &[DevicePath]) -> Result<Vec<Option<u64>>, AskError> {
        // What the shell may read the daemon may see, and not always the other way round: the fetching shows that.
        let seen = self.stat(paths).await?;
        Ok(seen.into_iter().map(|file| file.map(|(length, _)| u64::from(length))).collect())
    }

    async fn fetch_from(
        &self,
        path: &DevicePath,
        from: u64,
        size: u64,
        out: &mut (dyn FnMut(&[u8]) + Send),
    ) -> Result<(), AskError> {
        match from {
            0 => self.fetch_all(path, size, out).await,
            // The sync service knows no places in files. A piece at a time: one answer may take but so long.
            mut at => {
                while at < size {
                    let length = (size - at).min(AT_ONCE);
                    let mut came = 0;
                    let command = format!("tail -c +{} {} | head -c {length}", at + 1, path.quoted());
                    let mut piece = |data: &[u8]| {
                        came += data.len() as u64;
                        out(data);
                    };
                    self.raw(&command, &mut piece).await?;
                    // What a file does not have does not come by asking again.
                    if came != length {
                        return Ok(());
                    }
                    at += length;
                }
                Ok(())
            }
        }
    }

    async fn ask_with(
        &self,
        request: &Request,
        next: &mut (dyn FnMut() -> std::io::Result<Vec<u8>> + Send),
    ) -> Result<Output, AskError> {
        let link = self.link(&mut |_| {}).await?;
        let limits = Timeouts { idle: self.patience.change, ..self.limits };
        let shell = request.deliveries(&self.capabilities()).into_iter().find_map(|delivery| match delivery {
            Delivery::Shell(command) => Some(command),
            Delivery::Abb(_) | Delivery::AbbExec(_) => None,
        });
        let Some(command) = shell else { return Err(AskError::Refused("there is no command for that".into())) };
        let service = match link.banner().features.has(Feature::ShellV2) {
            true => Service::ShellV2(command),
            false => Service::Exec(command),
        };
        let mut said = Collected::default();
        match link.call_with_input(&service, &limits, next, &mut said).await {
            Ok(code) => Ok(answer(said, code)),
            Err(error) => Err(asked(&SyncError::Call(error))),
        }
    }

    async fn ask(&self, request: &Request, out: &mut (dyn FnMut(&[u8]) + Send)) -> Result<Output, AskError> {
        let begun = Instant::now();
        let answered = self.ask_by_link(request, out).await;
        self.noted(request, &answered, begun);
        answered
    }
}

impl AdbDevice {
    /// Tells whoever wants to know each word what was asked, and what came of it.
    fn noted(&self, request: &Request, answered: &Result<Output, AskError>, begun: Instant) {
        if !tracing::enabled!(tracing::Level::DEBUG) {
            return;
        }
        let words = PlainText::new(&request.words(&self.capabilities())).into_string();
        let came = match answered {
            Ok(Output { out, err, code }) => {
                let code = code.map_or_else(|| "no exit code".to_owned(), |code| format!("exit code {code}"));
                let err = if err.is_empty() { String::new() } else { format!(", {} bytes of errors", err.len()) };
                format!("{code}, {} bytes{err}", out.len())
            }
            Err(error) => PlainText::new(&error.to_string()).into_string(),
        };
        let (at, took) = (self.address(), begun.elapsed().as_millis());
        tracing::debug!("{at} ⟩ {words} · {came} · {took} ms");
    }

    async fn ask_by_link(&self, request: &Request, out: &mut (dyn FnMut(&[u8]) + Send)) -> Result<Output, AskError> {
        let link = self.link(&mut |_| {}).await?;
        let idle = if request.changes { self.patience.change } else { self.patience.look };
        let limits = Timeouts { idle, ..self.limits };
        let mut refused = None;
        let mut unknown = None;
        let all = request.deliveries(&self.capabilities());
        let mut deliveries = all.clone();
        deliveries.retain(|carriage| !self.known().unknown.contains(&carriage.program_and_command()));
        // Where none of them is known to know the command, the device says so again.
        for carriage in if deliveries.is_empty() { all } else { deliveries } {
            let service = match &carriage {
                Delivery::Abb(words) => Service::Abb(words.clone()),
                Delivery::AbbExec(words) => Service::AbbExec(words.clone()),
                Delivery::Shell(command) => shell_service(&link, command),
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
                Err(error @ CallError::Silent { .. }) => {
                    if self.still_answers(&link).await {
                        return Err(AskError::Silent(error.to_string()));
                    }
                    // A device that has left the network sends no word of it, and what is sent to it now may be acted on
                    // minutes later.
                    link.give_up("it does not answer anything any more");
                    return Err(AskError::Lost(link.ended().await));
                }
                Err(error) => return Err(AskError::Broken(error.to_string())),
            }
        }
        if let Some(answer) = unknown {
            return Ok(answer);
        }
        Err(AskError::Refused(refused.unwrap_or_else(|| "the device offers no way to ask that".into())))
    }
}

pub(crate) fn asked(error: &SyncError) -> AskError {
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

fn answer(said: Collected, code: Option<u8>) -> Output {
    let text = |bytes: &[u8]| String::from_utf8_lossy(bytes).into_owned();
    Output { out: text(&said.out), err: text(&said.err), code }
}

/// Whether a device may be the very one that the program runs on: at the loopback it is; it announces itself on the network, too, and is reached by
/// its address there, where the moments of the two starts tell. Where these cannot be read, it may be.
fn may_be_this(here: bool, own_start: Option<&str>, start: Option<&str>) -> bool {
    let is_another = own_start.zip(start).is_some_and(|(own, other)| own.trim() != other.trim());
    here || !is_another
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn this_device_is_known_by_its_start_too() {
        for (here, own, other, may) in [
            (true, Some("a"), Some("b"), true),
            (false, Some("a\n"), Some("a"), true),
            (false, Some("a"), Some("b"), false),
            (false, None, Some("b"), true),
            (false, Some("a"), None, true),
        ] {
            assert_eq!(may_be_this(here, own, other), may, "{here} {own:?} {other:?}");
        }
    }
}
