//! The simulated devices of the demo, and what their owner does.

use std::sync::Arc;

use wibbet_bench::around::Surroundings;
use wibbet_sim::{Options, OwnerAction, OwnersScreen, ReachedBy, Scenario, SimBus, SimDevice, SimNetwork};
use wibbet_types::Address;

/// The devices of the demo, and what their owners can do with them.
#[derive(Debug)]
pub(crate) struct Demo {
    devices: Vec<SimDevice>,
    bus: Arc<SimBus>,
}

/// What somebody beside the bench can do.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) enum DemoAct {
    /// On the device's own screen.
    Owner(OwnerAction),
    /// Plug the cable in, or pull it.
    Cable(bool),
}

impl DemoAct {
    pub(crate) fn words(&self) -> String {
        match self {
            Self::Owner(act) => act.words(),
            Self::Cable(true) => "plug the cable in".into(),
            Self::Cable(false) => "pull the cable".into(),
        }
    }
}

/// A device's own screen, with its cable.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct DemoScreen {
    pub(crate) serial: String,
    pub(crate) name: String,
    pub(crate) lines: Vec<String>,
    pub(crate) acts: Vec<DemoAct>,
}

impl Demo {
    /// Starts the devices of the demo workshop, and some more.
    pub(super) async fn start(more: Vec<Scenario>) -> std::io::Result<(Self, Surroundings)> {
        let (bus, network) = (Arc::new(SimBus::default()), SimNetwork::default());
        let mut devices = Vec::new();
        let own = Scenario::all().into_iter().map(|(_, scenario)| scenario);
        for (n, scenario) in own.chain(more).enumerate() {
            let cable = scenario.reached_by == ReachedBy::Cable;
            // What is on a cable does not announce itself; the TV is named by its address, as TVs are.
            let announced = (scenario.reached_by == ReachedBy::Air).then(|| network.clone());
            let options = Options { seed: n as u64 + 1, network: announced, ..Options::default() };
            let device = SimDevice::start(scenario, options).await?;
            if cable {
                bus.plug(&device);
            }
            devices.push(device);
        }
        // Somebody reads labels at once: what the devices have is made beside everything else.
        for make in devices.iter().map(SimDevice::files_to_make) {
            tokio::task::spawn_blocking(make);
        }
        let surroundings = Surroundings::simulated(Some(Arc::clone(&bus) as _), Some(network.seen()));
        Ok((Self { devices, bus }, surroundings))
    }

    /// The addresses of those that are reached by one.
    pub(super) fn addresses(&self) -> Vec<Address> {
        let by_address = self.devices.iter().filter(|d| d.reached_by() == ReachedBy::Address);
        by_address.map(|d| d.address()).collect()
    }

    /// What all the devices show now. `qr` is the code that this screen shows.
    pub(crate) fn screens(&self, qr: Option<&str>) -> Vec<DemoScreen> {
        let screen = |device: &SimDevice| {
            let OwnersScreen { name, mut lines, acts } = device.screen(qr);
            let serial = device.serial();
            let mut acts: Vec<DemoAct> = acts.into_iter().map(DemoAct::Owner).collect();
            if device.reached_by() == ReachedBy::Cable {
                let plugged = self.bus.is_plugged(&serial);
                lines.push(format!("Cable: {}", if plugged { "plugged in" } else { "pulled" }));
                acts.push(DemoAct::Cable(!plugged));
            }
            DemoScreen { serial, name, lines, acts }
        };
        self.devices.iter().map(screen).collect()
    }

    /// Does what somebody beside the bench does; why not, if it could not be done.
    pub(crate) async fn act(&self, serial: &str, act: DemoAct) -> Result<(), String> {
        let Some(device) = self.devices.iter().find(|d| d.serial() == serial) else { return Ok(()) };
        match act {
            DemoAct::Owner(act) => {
                device.act(act).await.map_err(|e| e.to_string())?;
            }
            DemoAct::Cable(true) => drop(self.bus.plug(device)),
            DemoAct::Cable(false) => self.bus.unplug(serial),
        }
        Ok(())
    }
}
