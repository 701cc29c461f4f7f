//! Finding devices by what people call them.

use std::time::Duration;

use wibbet_adb::Timeouts;
use wibbet_bench::around::{Route, Sighting};
use wibbet_bench::device::{AdbDevice, LinkStep};
use wibbet_bench::ops::{NoteError, forget_place, note_met};
use wibbet_bench::workplace::Workplace;
use wibbet_core::device::{DeviceFacts, Likeness};
use wibbet_logbook::KnownDevice;
use wibbet_types::{Address, Serial};

use crate::exit::{Exit, Failure};
use crate::out::tell;

/// How long the network is listened to for a device that is nowhere else.
const LISTEN: Duration = Duration::from_millis(1500);

/// How long a tap is waited for on whoever is met in passing.
const TAP_IN_PASSING: Duration = Duration::from_secs(3);

/// Finds devices by what people call them.
pub(crate) struct Finder<'a> {
    pub(crate) workplace: &'a Workplace,
    pub(crate) at: &'a [Address],
    /// Nothing but addresses is looked at.
    pub(crate) no_search: bool,
}

/// What a name means.
#[derive(Clone)]
struct Wanted {
    serial: Serial,
    /// Which of several devices of that serial; `None` when it is known to be one.
    facts: Option<DeviceFacts>,
    /// The serial by which it goes on its cable, where that is known to be another.
    known_as: Option<String>,
}

/// A device that a name may mean, not linked yet.
pub(crate) struct Candidate {
    pub(crate) device: AdbDevice,
    /// What it has to turn out to be; `None` where its place was named.
    wanted: Option<Wanted>,
}

impl Finder<'_> {
    /// What is around, best ways first. Listening ends early when `enough` has been seen.
    pub(crate) async fn around(&self, enough: impl FnMut(&[Sighting]) -> bool) -> Vec<Sighting> {
        if self.no_search {
            return Vec::new();
        }
        self.workplace.surroundings.look(LISTEN, enough).await
    }

    /// The addresses that are named, and those where devices were last met.
    pub(crate) async fn addresses(&self) -> Result<Vec<Route>, Failure> {
        let mut routes: Vec<Route> = self.at.iter().cloned().map(Route::Address).collect();
        for known in self.workplace.book.with(|book| book.devices()).await? {
            // What was met on a cable is seen on a cable.
            let Ok(address) = known.address.parse::<Address>() else { continue };
            if !known.forgotten && routes.iter().all(|route| route.at() != Some(&address)) {
                routes.push(Route::Remembered(address));
            }
        }
        Ok(routes)
    }

    /// Links the device that is called `name`: an id, a serial, or HOST:PORT.
    pub(crate) async fn link(&self, name: &str) -> Result<AdbDevice, Failure> {
        let mut first_error = None;
        for Candidate { device, wanted } in self.candidates(name).await? {
            if let Some(Route::Remembered(address) | Route::Hearsay { at: address, .. }) = device.route() {
                tell(format_args!("trying {address}, where {name} was last met or announces itself"));
            }
            match self.meet(&device, wanted.as_ref().and_then(|w| w.facts.as_ref())).await {
                Ok(facts) if wanted.as_ref().is_none_or(|w| w.fits(&facts)) => return Ok(device),
                Ok(_) => {}
                Err(error) => drop(first_error.get_or_insert(error)),
            }
        }
        Err(first_error.unwrap_or_else(|| {
            Failure::new(
                Exit::NoDevice,
                format!(
                    "there is no device {name} at hand. Plug it in, name it by HOST:PORT once, or add --at HOST:PORT; `wibbet bench` lists those that are"
                ),
            )
        }))
    }

    /// A device that was met before, to be waited for: with the ways to it that are known, and found by its serial when it turns up.
    pub(crate) async fn one_that_was_met(&self, name: &str) -> Result<(AdbDevice, DeviceFacts), Failure> {
        let met = self.workplace.book.with(|book| book.devices()).await?;
        let address: Option<Address> = name.parse().ok();
        let never = || {
            let words = format!("no device {name} was met before; `wibbet runs` names those that had runs");
            Failure::new(Exit::NoDevice, words)
        };
        let (facts, known_as) = match &address {
            Some(at) => {
                let there = met.iter().find(|known| known.address == at.to_string()).ok_or_else(never)?;
                (there.facts.clone(), there.known_as.clone())
            }
            None => {
                let wanted = self.wanted(name).await?;
                let facts = wanted.facts.or_else(|| {
                    met.iter().map(|known| &known.facts).find(|facts| facts.serial == wanted.serial).cloned()
                });
                (facts.ok_or_else(never)?, wanted.known_as)
            }
        };
        let last = met.iter().find(|known| known.facts.id == facts.id).and_then(|known| known.address.parse().ok());
        let named = address.into_iter().chain(self.at.iter().cloned()).map(Route::Address);
        let device = self.workplace.device_by(named.chain(last.map(Route::Remembered)).collect());
        device.expect(facts.clone());
        device.goes_by(known_as);
        device.believe_hearsay();
        if !self.no_search {
            device.follow();
        }
        Ok((device, facts))
    }

    /// Every device that is around, not linked yet.
    pub(crate) async fn all_around(&self) -> Result<Vec<AdbDevice>, Failure> {
        let mut routes: Vec<Route> = self.around(|seen| !seen.is_empty()).await.into_iter().map(|s| s.route).collect();
        routes.extend(self.at.iter().cloned().map(Route::Address));
        // Nobody taps on a device that does not start, and another one is not waited for meanwhile.
        let limits = Timeouts { tap: TAP_IN_PASSING.min(self.workplace.limits.tap), ..self.workplace.limits };
        let hurried = Workplace { limits, ..self.workplace.clone() };
        Ok(routes.into_iter().map(|route| hurried.device_by(vec![route])).collect())
    }

    /// The devices that a name may mean, the likeliest first: the place or the serial by which a device is seen, the
    /// serial that it tells, or the id by which it is known here.
    pub(crate) async fn candidates(&self, name: &str) -> Result<Vec<Candidate>, Failure> {
        let at = |route, wanted| {
            let device = self.workplace.device_by(vec![route]);
            // Somebody asks for this device.
            device.believe_hearsay();
            Candidate { device, wanted }
        };
        if let Ok(address) = name.parse() {
            return Ok(vec![at(Route::Address(address), None)]);
        }
        let known = self.wanted(name).await;
        let named = |s: &Sighting| s.route.to_string() == name || (!s.serial.is_empty() && s.serial == name);
        let meant = |s: &Sighting| match &known {
            Ok(wanted) => wanted.goes_by(&s.serial),
            Err(_) => false,
        };
        let seen = self.around(|seen| seen.iter().any(|s| named(s) || meant(s))).await;
        // Each by itself: equal serials may be different devices.
        let mut found = Vec::new();
        for sighting in &seen {
            match &known {
                // Which of several is known by now, and has to be that one.
                Ok(wanted) if wanted.goes_by(&sighting.serial) && (wanted.facts.is_some() || !named(sighting)) => {
                    found.push(at(sighting.route.clone(), Some(wanted.clone())));
                }
                _ if named(sighting) => found.push(at(sighting.route.clone(), None)),
                _ => {}
            }
        }
        let unknown: Vec<String> = found.iter().filter(|c| c.wanted.is_none()).map(|c| c.device.address()).collect();
        let cables: Vec<&str> = unknown.iter().map(String::as_str).filter(|at| at.starts_with("USB ")).collect();
        if cables.len() > 1 {
            let why = format!("several devices go by {name}: {}. Name one of these places", cables.join(", "));
            return Err(Failure::new(Exit::Usage, why));
        }
        let wanted = match known {
            Ok(wanted) => wanted,
            // A place is no serial.
            Err(_) if name.parse::<Serial>().is_err() && !found.is_empty() => return Ok(found),
            Err(failure) => return Err(failure),
        };
        let met = self.workplace.book.with(|book| book.devices()).await?;
        // Where another one was met that one is looked for.
        let meant = |facts: &DeviceFacts| match &wanted.facts {
            Some(wanted) => wanted.id == facts.id,
            None => facts.serial == wanted.serial,
        };
        let last_seen = met.iter().filter(|d| meant(&d.facts)).filter_map(|d| d.address.parse().ok());
        let named = self.at.iter().cloned().map(Route::Address);
        let mut places: Vec<Route> = Vec::new();
        for route in named.chain(last_seen.map(Route::Remembered)) {
            if places.iter().all(|known| known.at() != route.at()) {
                places.push(route);
            }
        }
        found.extend(places.into_iter().map(|route| at(route, Some(wanted.clone()))));
        Ok(found)
    }

    /// What an id or a serial means. A serial that several devices have needs to be said more exactly.
    async fn wanted(&self, name: &str) -> Result<Wanted, Failure> {
        let usage = |why: String| Failure::new(Exit::Usage, why);
        let serial: Serial = name.parse().map_err(|e| usage(format!("{e}; DEVICE is an id, a serial or HOST:PORT")))?;
        let met = self.workplace.book.with(|book| book.devices()).await?;
        let same: Vec<&DeviceFacts> = met.iter().map(|d| &d.facts).filter(|f| f.serial == serial).collect();
        if same.len() > 1 {
            let list: Vec<String> = same.iter().map(|f| format!("{} ({})", full_id(f), f.name())).collect();
            return Err(usage(format!(
                "several devices have the serial {serial}: {}. Name one of these",
                list.join(", ")
            )));
        }
        // An id is a serial with a number behind it, where several devices have the serial.
        let by_id = met.iter().find(|d| full_id(&d.facts) == name || d.facts.id.as_str() == serial.as_str());
        Ok(match by_id {
            Some(known) => Wanted {
                serial: known.facts.serial.clone(),
                facts: Some(known.facts.clone()),
                known_as: known.known_as.clone(),
            },
            None => Wanted { serial, facts: None, known_as: None },
        })
    }

    /// Links a device and notes that it was met.
    pub(crate) async fn meet(
        &self,
        device: &AdbDevice,
        expected: Option<&DeviceFacts>,
    ) -> Result<DeviceFacts, Failure> {
        if let Some(facts) = expected {
            device.expect(facts.clone());
        }
        let mut progress = |step| {
            if let LinkStep::AwaitingTap { fingerprint } = step {
                tell(format_args!("waiting for “Allow” on the device; it should show the fingerprint {fingerprint}"));
            }
        };
        device.follow();
        let book = &self.workplace.book;
        let met = match device.connect(&mut progress).await {
            Ok(_) => note_met(book, device).await,
            Err(error) => Err(error.into()),
        };
        if let Err(NoteError::Ask(why)) = &met {
            forget_place(book, device, why).await?;
        }
        Ok(met?)
    }
}

impl Wanted {
    /// Whether what is seen under a serial may be the device.
    fn goes_by(&self, seen: &str) -> bool {
        !seen.is_empty() && (seen == self.serial.as_str() || Some(seen) == self.known_as.as_deref())
    }

    fn fits(&self, facts: &DeviceFacts) -> bool {
        facts.serial == self.serial
            && self.facts.as_ref().is_none_or(|wanted| wanted.likeness(facts) > Likeness::Different)
    }
}

/// The id with a number in any case: the first of several devices with one serial has none.
fn full_id(facts: &DeviceFacts) -> String {
    if facts.id.as_str() == facts.serial.as_str() { format!("{}.1", facts.serial) } else { facts.id.to_string() }
}

/// There is no logbook yet.
pub(crate) fn no_logbook() -> Failure {
    Failure::new(Exit::Nothing, "there is no logbook yet; it is begun with the first device")
}

/// The device that an id or a serial names.
pub(crate) fn known(devices: &[KnownDevice], name: &str) -> Result<DeviceFacts, Failure> {
    if let Some(known) = devices.iter().find(|known| known.facts.id.as_str() == name) {
        return Ok(known.facts.clone());
    }
    let of_serial = devices.iter().filter(|known| known.facts.serial.as_str() == name);
    match of_serial.map(|known| &known.facts).collect::<Vec<_>>().as_slice() {
        [one] => Ok((*one).clone()),
        [] => Err(Failure::new(Exit::Nothing, format!("the logbook knows no device {name}"))),
        several => {
            let ids: Vec<String> = several.iter().map(|facts| facts.id.to_string()).collect();
            Err(Failure::new(Exit::Usage, format!("several devices have that serial: {}", ids.join(", "))))
        }
    }
}

/// The same, or the device that was met last at an address: for what only tells.
pub(crate) fn known_or_met_at(devices: &[KnownDevice], name: &str) -> Result<DeviceFacts, Failure> {
    let met = devices.iter().filter(|known| known.address == name).max_by_key(|known| known.seen);
    known(devices, name).or_else(|failure| met.map(|met| met.facts.clone()).ok_or(failure))
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::sync::Arc;

    use wibbet_bench::around::Surroundings;
    use wibbet_bench::logbook::SharedLogbook;
    use wibbet_bench::policy::RunPolicy;
    use wibbet_sim::{Allow, Options, Scenario, SimBus, SimDevice};

    const PEM: &str = include_str!("../../../adb/tests/key.pem");

    async fn phone(scenario: Scenario) -> SimDevice {
        let options = Options { allow: Allow::After(Duration::ZERO), ..Options::default() };
        SimDevice::start(scenario, options).await.unwrap()
    }

    fn workplace(folder: &std::path::Path, bus: &Arc<SimBus>) -> Workplace {
        let key = wibbet_adb::HostKey::from_pem(PEM, "test@bench", "vector".as_ref()).unwrap();
        Workplace {
            book: SharedLogbook::open(folder).unwrap(),
            technician: Arc::default(),
            meeting: wibbet_logbook::MeetingPlaces::only(folder),
            keys: Arc::new(wibbet_adb::KeyRing::of(key)),
            limits: wibbet_adb::Timeouts::default(),
            patience: RunPolicy::default(),
            surroundings: Arc::new(Surroundings::simulated(Some(Arc::clone(bus) as _), None)),
        }
    }

    /// What the bench lists can be named: by the serial on the cable, by the one that the device tells, by its id, by
    /// its place.
    #[tokio::test]
    async fn a_device_is_found_by_whatever_it_goes_by() {
        let folder = tempfile::tempdir().unwrap();
        let bus = Arc::new(SimBus::default());
        let (phone, tablet) = (phone(Scenario::crew_phone()).await, phone(Scenario::desk_tablet()).await);
        let place = bus.plug_as(&phone, "0123456789ABCDEF").to_string();
        bus.plug(&tablet);
        let workplace = workplace(folder.path(), &bus);
        let finder = Finder { workplace: &workplace, at: &[], no_search: false };
        let told = phone.serial();
        let found = async |name: &str| match finder.link(name).await {
            Ok(device) => Ok(device.facts().unwrap().serial.to_string()),
            Err(failure) => Err(failure.exit),
        };
        assert_eq!(found(&told).await, Err(Exit::NoDevice), "nobody has met it yet");
        for name in ["0123456789ABCDEF", &format!("USB {place}")] {
            assert_eq!(found(name).await, Ok(told.clone()), "{name}");
        }
        // Now it is known what it goes by.
        for name in [&told, "0123456789ABCDEF", &format!("{told}.1")] {
            assert_eq!(found(name).await, Ok(told.clone()), "{name}");
        }
        assert_eq!(found(&tablet.serial()).await, Ok(tablet.serial()));
        // Two that go by one serial are not told apart by it.
        let other = self::phone(Scenario::lost_phone()).await;
        bus.plug_as(&other, "0123456789ABCDEF");
        assert_eq!(found("0123456789ABCDEF").await, Err(Exit::Usage));
        assert_eq!(found(&told).await, Ok(told.clone()));
    }
}
