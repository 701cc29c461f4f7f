//! Commands that only look.

use futures_util::future::join_all;
use wibbet_bench::{AdbDevice, AskError, Workplace, now, survey, trouble_of};
use wibbet_core::{Inventory, Outcome, Run};
use wibbet_types::{Serial, UserId};

use super::exit::{Exit, Failure};
use super::json;
use super::out::{line, tell};

/// Finds devices by what people call them.
pub(crate) struct Finder<'a> {
    pub(crate) workplace: &'a Workplace,
    pub(crate) at: &'a [String],
}

impl Finder<'_> {
    /// Every address worth trying: those named and those where devices were last met.
    async fn addresses(&self) -> Result<Vec<String>, Failure> {
        let mut addresses = self.at.to_vec();
        for known in self.workplace.book.with(|book| book.devices()).await? {
            if !addresses.contains(&known.address) {
                addresses.push(known.address);
            }
        }
        Ok(addresses)
    }

    /// Links the device that is called `name`: a serial, or HOST:PORT.
    pub(crate) async fn link(&self, name: &str) -> Result<AdbDevice, Failure> {
        if let Ok(address) = super::address(name) {
            let device = self.workplace.device(&address);
            self.meet(&device).await?;
            return Ok(device);
        }
        let wanted: Serial =
            name.parse().map_err(|e| Failure::new(Exit::Usage, format!("{e}; DEVICE is a serial or HOST:PORT")))?;
        let met: Vec<_> = self.workplace.book.with(|book| book.devices()).await?;
        let last_seen = met.iter().filter(|d| d.facts.serial == wanted).map(|d| d.address.clone());
        let mut addresses: Vec<String> = last_seen.chain(self.at.iter().cloned()).collect();
        addresses.dedup();
        let mut first_error = None;
        for address in &addresses {
            let device = self.workplace.device(address);
            match self.meet(&device).await {
                Ok(serial) if serial == wanted => return Ok(device),
                Ok(_) => {}
                Err(error) => drop(first_error.get_or_insert(error)),
            }
        }
        Err(first_error.unwrap_or_else(|| {
            Failure::new(
                Exit::NoDevice,
                format!("there is no device {wanted} at hand. Name it by HOST:PORT once, or add --at HOST:PORT; `wibbet bench` lists those that are known"),
            )
        }))
    }

    async fn meet(&self, device: &AdbDevice) -> Result<Serial, Failure> {
        let mut progress = |step| {
            if let wibbet_bench::LinkStep::AwaitingTap { fingerprint } = step {
                tell(format_args!("waiting for “Allow” on the device; it should show the fingerprint {fingerprint}"));
            }
        };
        let facts = device.connect(&mut progress).await?;
        let (serial, address) = (facts.serial.clone(), device.address().to_owned());
        self.workplace.book.with(move |book| book.note_device(&facts, &address, now())).await?;
        Ok(serial)
    }
}

pub(crate) async fn bench(finder: &Finder<'_>, as_json: bool) -> Result<Exit, Failure> {
    let addresses = finder.addresses().await?;
    let looked = join_all(addresses.iter().map(async |address| {
        let device = finder.workplace.device(address);
        let linked = device.connect(&mut |_| {}).await;
        (address, linked)
    }))
    .await;
    let known = finder.workplace.book.with(|book| book.devices()).await?;
    let mut devices = Vec::new();
    let mut ready = 0;
    for (address, linked) in looked {
        let before = known.iter().find(|d| d.address == *address).map(|d| &d.facts);
        devices.push(match linked {
            Ok(facts) => {
                ready += 1;
                let (noted, at) = (facts.clone(), address.clone());
                finder.workplace.book.with(move |book| book.note_device(&noted, &at, now())).await?;
                json::Device::of(Some(&facts), address, "ready", None)
            }
            Err(AskError::NoLink(error)) => {
                json::Device::of(before, address, trouble_of(&error).1.name, Some(error.to_string()))
            }
            Err(other) => json::Device::of(before, address, "trouble", Some(other.to_string())),
        });
    }
    if as_json {
        json::print(&json::Bench { devices });
    } else if devices.is_empty() {
        tell("No devices are known yet. Add one with --at HOST:PORT, or start `wibbet` and press a.");
    } else {
        for device in &devices {
            let name =
                [device.maker.as_deref(), device.model.as_deref()].into_iter().flatten().collect::<Vec<_>>().join(" ");
            let android = device.android.as_ref().map_or_else(String::new, |a| format!("Android {a}"));
            line(format_args!("{:<22} {:<24} {:<12} {:<22} {}", device.id, name, android, device.address, device.link));
            if let Some(trouble) = &device.trouble {
                line(format_args!("    {trouble}"));
            }
        }
    }
    Ok(if ready > 0 { Exit::Done } else { Exit::NoDevice })
}

/// Links a device and reads its packages.
pub(crate) async fn read(finder: &Finder<'_>, name: &str) -> Result<(AdbDevice, Inventory), Failure> {
    let device = finder.link(name).await?;
    let inventory = survey(&device, &mut |_| {}).await?;
    Ok((device, inventory))
}

pub(crate) async fn packages(
    finder: &Finder<'_>,
    name: &str,
    user: Option<UserId>,
    as_json: bool,
) -> Result<Exit, Failure> {
    let (device, inventory) = read(finder, name).await?;
    if let Some(user) = user {
        check_user(&inventory, user)?;
    }
    if as_json {
        let shown = json::Device::of(device.facts().as_ref(), device.address(), "ready", None);
        json::print(&json::Packages::of(shown, &inventory, user));
        return Ok(Exit::Done);
    }
    let users: Vec<UserId> = inventory.users.iter().map(|u| u.id).filter(|u| user.is_none_or(|o| o == *u)).collect();
    for user in inventory.users.iter().filter(|u| users.contains(&u.id)) {
        line(format_args!("user {}: {} ({})", user.id, user.name, user.kind.name()));
    }
    for package in inventory.packages.values() {
        let states: String = users.iter().map(|u| format!("{:<13}", package.state(*u).condition().word())).collect();
        line(format_args!("{states}{:<16}{}", package.kind.name(), package.id));
    }
    for gap in &inventory.gaps {
        tell(format_args!("not read: {gap}"));
    }
    Ok(Exit::Done)
}

pub(crate) fn check_user(inventory: &Inventory, user: UserId) -> Result<(), Failure> {
    if inventory.user(user).is_some() {
        return Ok(());
    }
    let known: Vec<String> = inventory.users.iter().map(|u| format!("{} ({})", u.id, u.name)).collect();
    Err(Failure::new(Exit::Usage, format!("the device has no user {user}; it has {}", known.join(", "))))
}

pub(crate) async fn runs(workplace: &Workplace, as_json: bool) -> Result<Exit, Failure> {
    let runs = workplace.book.with(|book| book.runs(None)).await?;
    if as_json {
        json::print(&json::Runs { runs: runs.iter().map(json::Steps::of).collect() });
    } else {
        for run in &runs {
            line(one_line(run));
        }
        if runs.is_empty() {
            tell("The logbook has no runs yet.");
        }
    }
    Ok(Exit::Done)
}

fn one_line(run: &Run) -> String {
    let counts: Vec<String> =
        [Outcome::Done, Outcome::Refused, Outcome::NoEffect, Outcome::Unsettled, Outcome::Skipped]
            .into_iter()
            .filter(|o| run.count(*o) > 0)
            .map(|o| format!("{} {o}", run.count(o)))
            .collect();
    format!(
        "run {:<5} {:<22} {:<9} {:<9} {}  {}",
        run.number,
        run.serial,
        run.kind,
        run.state,
        json::time(run.begun),
        counts.join(", ")
    )
}
