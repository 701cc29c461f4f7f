//! Making the link: routes in order, and who answers there.

use std::sync::atomic::Ordering;

use wibbet_adb::{CallError, Encryption, Feature, Link, LinkError};
use wibbet_core::android::{Capabilities, DaemonFeatures};
use wibbet_core::ask::says_not_ready;
use wibbet_core::device::{DeviceFacts, DeviceKind, Likeness};
use wibbet_core::read::{
    ChangesPermitted, HELP, IDENTITY, IS_TV, PROPERTIES, Properties, changes_request, read_changes, read_identity,
    read_is_tv,
};
use wibbet_types::Serial;

use super::adb::{AdbDevice, LinkStep};
use super::device::AskError;
use crate::around::{Route, Sighting};

impl AdbDevice {
    /// The serial by which it goes where it was last linked: on its cable, or in another program's server. It need not
    /// be the one that the device tells.
    pub fn known_as(&self) -> Option<String> {
        match self.route()? {
            Route::Server(serial) => Some(serial),
            Route::Cable(place) => {
                let seen = self.surroundings.on_cables().into_iter().find(|seen| seen.place == place)?;
                Some(seen.serial.into_string()).filter(|serial| !serial.is_empty())
            }
            Route::Air { .. } | Route::Address(_) | Route::Remembered(_) | Route::Hearsay { .. } => None,
        }
    }

    /// From now on the device is looked for by its serial when it has gone: plugged in again it has another place on
    /// the bus. The bench, which watches all places anyway, does not need this.
    pub fn follow(&self) {
        self.follows.store(true, Ordering::Relaxed);
    }

    /// It goes by this serial on its cable, as is known from another time.
    pub fn goes_by(&self, serial: Option<String>) {
        self.ways().goes_by = serial;
    }

    fn look_for_it(&self) {
        let Some(serial) = self.facts().map(|f| f.serial).filter(|_| self.follows.load(Ordering::Relaxed)) else {
            return;
        };
        let cables = self.surroundings.on_cables();
        let air = self.surroundings.on_air();
        let seen = cables.iter().map(Sighting::on_cable).chain(air.iter().filter_map(Sighting::on_air));
        let goes_by = self.ways().goes_by.clone();
        let is_it =
            |s: &Sighting| s.serial == serial.as_str() || (!s.serial.is_empty() && Some(&s.serial) == goes_by.as_ref());
        seen.filter(is_it).for_each(|s| self.add_route(s.route));
    }

    /// Whether the link is encrypted; `None` without one.
    pub async fn is_encrypted(&self) -> Option<bool> {
        self.live.lock().await.as_ref().map(Link::is_encrypted)
    }

    /// The device that is expected here; a different one is an error.
    pub fn expect(&self, facts: DeviceFacts) {
        self.known().facts = Some(facts);
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

    /// The link as it is now. Whoever waits for its end is not taken in by another one that is made meanwhile.
    pub(crate) async fn current(&self) -> Option<Link> {
        self.live.lock().await.clone()
    }

    /// Ends the link, if there is one; the next request makes it anew.
    pub async fn hang_up(&self) {
        *self.live.lock().await = None;
    }

    pub(super) async fn link(&self, progress: &mut (dyn FnMut(LinkStep) + Send)) -> Result<Link, AskError> {
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
            let help = self.shell(&link, HELP).await.map_err(|e| self.nothing_sent(e))?;
            let text = help.text();
            let in_doubt = self.known().capabilities.may_lack_disabling();
            let may_disable = match in_doubt {
                true => {
                    let said =
                        self.shell(&link, &changes_request().command()).await.map_err(|e| self.nothing_sent(e))?;
                    // Where it does not tell, the first change will.
                    read_changes(&said) != ChangesPermitted::UninstallOnly
                }
                false => true,
            };
            let known = &mut *self.known();
            known.capabilities.disables = may_disable;
            // A device that is still starting has no help to give and is asked again next time. One
            // that gives something else never will: then nothing is taken for granted.
            known.learned = known.capabilities.learn_from_help(&text) || !says_not_ready(&text);
        }
        Ok(link)
    }

    /// Tries one way after the other. Of several troubles that of the best way is told.
    async fn any_way(&self, progress: &mut (dyn FnMut(LinkStep) + Send)) -> Result<Link, AskError> {
        let mut first = None;
        self.look_for_it();
        for route in self.ways_to_try() {
            let mut tapped = false;
            let mut watch = |step: LinkStep| {
                tapped |= matches!(step, LinkStep::AwaitingTap { .. });
                progress(step);
            };
            let made = self.by(&route, &mut watch).await;
            self.tapped.store(tapped, Ordering::Relaxed);
            let met = match made {
                Ok(link) => {
                    self.ways().last = Some(route.clone());
                    // When it is plugged in again it goes by the same.
                    if let Some(serial) = self.known_as() {
                        self.ways().goes_by = Some(serial);
                    }
                    self.meet(&link, &route).await.map(|()| link)
                }
                Err(error) => Err(AskError::NoLink(error)),
            };
            match met {
                Ok(link) => return Ok(link),
                // Whoever holds the ways has to know that this one leads elsewhere.
                Err(error @ AskError::OtherDevice(_)) => return Err(error),
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
            Route::Air { .. } | Route::Address(_) | Route::Remembered(_) | Route::Hearsay { .. } => {
                let encryption = match route {
                    Route::Air { .. } => Encryption::Demanded,
                    _ => Encryption::WhereAsked,
                };
                let network = &*self.surroundings.network;
                let mut first = None;
                for at in route.addresses() {
                    match Link::connect_at(network, at, encryption, &self.keys, &self.limits, progress).await {
                        // One of its addresses may not be reached from here.
                        Err(error @ LinkError::NoAnswer { .. }) => drop(first.get_or_insert(error)),
                        made => return made,
                    }
                }
                Err(first.unwrap_or_else(|| missing("an address")))
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
    async fn meet(&self, link: &Link, route: &Route) -> Result<(), AskError> {
        let features = &link.banner().features;
        let offered = DaemonFeatures {
            abb: features.has(Feature::Abb),
            abb_exec: features.has(Feature::AbbExec),
            cmd: features.has(Feature::Cmd),
        };
        let state = &link.banner().state;
        if !matches!(state.as_str(), "device" | "") {
            return Err(AskError::NotAndroid(format!("{} is in the mode “{state}”, not in Android", self.address())));
        }
        let said = self.shell(link, PROPERTIES).await.map_err(|e| self.nothing_sent(e))?;
        let stand_in = stand_in_serial(&self.address());
        let mut facts = Properties::read(&said.out).facts(&stand_in).ok_or_else(|| {
            AskError::NoLink(LinkError::Broken {
                at: self.address(),
                rule: "it does not report its version of Android".into(),
            })
        })?;
        let ids = self.shell(link, IDENTITY).await.map_err(|e| self.nothing_sent(e))?;
        (facts.boot_id, facts.android_id) = read_identity(&ids.out);
        if facts.kind == DeviceKind::Unknown {
            let said = self.shell(link, IS_TV).await.map_err(|e| self.nothing_sent(e))?;
            if read_is_tv(&said.out) {
                facts.kind = DeviceKind::Tv;
            }
        }
        {
            let known = self.known();
            if let Some(before) = &known.facts {
                let held = match (known.claims.is_some(), self.restarts.load(Ordering::Relaxed)) {
                    (false, _) => Held::No,
                    (true, false) => Held::SinceItsStart,
                    (true, true) => Held::OverItsStarts,
                };
                recognise(before, &facts, route, held)?;
                facts.id = before.id.clone();
                facts.android_id = facts.android_id.or_else(|| before.android_id.clone());
            }
        }
        let fresh = Capabilities::new(facts.android.sdk(), offered);
        let mut known = self.known();
        if let Some(claims) = &mut known.claims {
            claims.follow(&facts).map_err(|held| AskError::Taken(held.to_string()))?;
        }
        if known.facts.as_ref().is_some_and(|before| before.android != facts.android || before.build != facts.build) {
            // A system update: its programs may know more, or less.
            (known.learned, known.tools, known.short_form) = (false, None, None);
            known.unknown.clear();
            known.commands.clear();
        }
        if fresh.needs_help_text() && known.learned {
            // The same device as before: what its help said still holds.
            known.capabilities.offered = offered;
        } else {
            // What the device has let this program do it goes on letting it do.
            known.capabilities = Capabilities { root: known.capabilities.root, ..fresh };
            known.learned = !fresh.needs_help_text();
        }
        known.facts = Some(facts);
        Ok(())
    }
}

/// Whether something is being done to a device.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Held {
    No,
    /// Since it started last.
    SinceItsStart,
    /// It starts over and over meanwhile.
    OverItsStarts,
}

/// Whether a way leads to the device that is expected there.
fn recognise(before: &DeviceFacts, now: &DeviceFacts, route: &Route, held: Held) -> Result<(), AskError> {
    let likeness = before.likeness(now);
    let restarted =
        held == Held::SinceItsStart && !route.is_chosen() && before.boot_id.is_some() && likeness < Likeness::SameStart;
    let at = format!("at {route} there is {} (serial {})", now.name(), now.serial);
    match likeness {
        // While something is done to the device, whoever announces themselves in its place does not end that.
        Likeness::Different if held == Held::No || route.is_chosen() => Err(AskError::OtherDevice(format!(
            "{at} now, not {} (serial {}). Nothing but that was asked of it",
            before.name(),
            before.serial
        ))),
        Likeness::Different => {
            Err(AskError::NotProven(format!("{at} now, which is another device. Nothing but that was asked of it")))
        }
        _ if restarted => Err(AskError::NotProven(format!(
            "{at}, but it has another boot id than before: it has restarted meanwhile, or it is another one that pretends. Nothing but that was asked of it"
        ))),
        enough if enough >= route.least_likeness() => Ok(()),
        _ => Err(not_proven(route, now)),
    }
}

/// What says that it is a device that is known, and does not show it.
pub(crate) fn not_proven(route: &Route, facts: &DeviceFacts) -> AskError {
    AskError::NotProven(format!(
        "at {route} something says that it is {} (serial {}), but does not show {}. Nothing but that was asked of it",
        facts.name(),
        facts.serial,
        if facts.android_id.is_some() { "what is known of that" } else { "its Android id" }
    ))
}

/// A serial for a device that names none: its address, which is all that tells it apart.
fn stand_in_serial(address: &str) -> Serial {
    let clean: String = address.chars().map(|c| if c.is_ascii_graphic() { c } else { '-' }).take(100).collect();
    #[expect(clippy::expect_used, reason = "a prefix and visible ASCII always make a serial")]
    format!("at-{clean}").parse().expect("visible ASCII")
}
