//! `wibbet sim`: bench devices standing alone.

use std::io::Write as _;
use std::net::Ipv4Addr;
use std::path::PathBuf;
#[cfg(unix)]
use std::sync::Arc;
use std::time::Duration;

use tokio::io::{AsyncBufReadExt as _, BufReader};
use wibbet_adb::MdnsAnnouncer;
use wibbet_sim::{Allow, Fault, Options, OwnerAction, Scenario, SimDevice, SimNetwork};
#[cfg(unix)]
use wibbet_sim::{Asked, SimAndroid};

use crate::exit::{Exit, Failure};
use crate::out::{line, tell};

/// Arguments of `wibbet sim`.
#[derive(Debug, clap::Args)]
pub(crate) struct SimArguments {
    /// A device of the demo workshop: crew-phone, desk-tablet, waiting-room-tv, lost-phone, spare-handset, seventh-hand,
    /// store-phone or boxed-tablet;
    /// crew-phone and spare-handset when left out.
    #[arg(long, value_name = "NAME")]
    device: Vec<String>,
    /// A device of an API level: 22, 23, 25, 27, 28, 30, 31, 34, 35 or 36.
    #[arg(long, value_name = "LEVEL")]
    android: Vec<u32>,
    /// A device from a scenario file; docs/scenarios.md says how one is written.
    #[arg(long, value_name = "FILE")]
    scenario: Vec<PathBuf>,
    /// The port of the first device; the others follow. Free ones when left out.
    #[arg(long)]
    port: Option<u16>,
    /// Who taps “Allow”: a number of milliseconds after which it is done, by-hand (type “allow”), or never.
    #[arg(long, default_value = "1500", value_parser = allow)]
    allow: Allow,
    /// From where everything random comes.
    #[arg(long, default_value_t = 1)]
    seed: u64,
    /// A fault, such as cut=from:12, latency=200, says-yes=ID or never-answers=ID; may be given several times.
    #[arg(long)]
    fault: Vec<Fault>,
    /// Writes a line for each service that is opened to this file, with the serial before it.
    #[arg(long, value_name = "FILE")]
    transcript: Option<PathBuf>,
    /// Announce the devices on the network, and have them reached from there.
    #[arg(long)]
    mdns: bool,
    /// The first device's Android without its own daemon: its files are laid out in this folder, and its programs answer
    /// at phone/android.sock in it, for a daemon of another make that stands in front (tools/daemon-lab).
    #[cfg(unix)]
    #[arg(long, value_name = "FOLDER", hide = true)]
    behind: Option<PathBuf>,
    /// Without APKs, which take their time to write.
    #[cfg(unix)]
    #[arg(long, hide = true, requires = "behind")]
    no_apks: bool,
    /// At least so many packages on each device: its own, over and over under other ids.
    #[arg(long, value_name = "COUNT", hide = true)]
    packages: Option<usize>,
    /// The first device with Android 8.1 in place of its own version.
    #[arg(long, hide = true)]
    android_8_1: bool,
    /// A JSON object a line and device.
    #[arg(long)]
    json: bool,
}

fn allow(text: &str) -> Result<Allow, String> {
    match text {
        "by-hand" => Ok(Allow::ByHand),
        "never" => Ok(Allow::Never),
        number => number
            .parse()
            .map(|n| Allow::After(Duration::from_millis(n)))
            .map_err(|_| "a number of milliseconds, by-hand or never".to_owned()),
    }
}

/// Reads scenario files.
pub(crate) fn read_scenarios(files: &[PathBuf]) -> Result<Vec<Scenario>, Failure> {
    let read = |file: &PathBuf| {
        let usage = |why: String| Failure::new(Exit::Usage, format!("{}: {why}", file.display()));
        let text = std::fs::read_to_string(file).map_err(|e| usage(e.to_string()))?;
        Scenario::read(&text).map_err(|e| usage(e.to_string()))
    };
    files.iter().map(read).collect()
}

/// Devices of the demo workshop by their names, each with its own.
pub(crate) fn named_scenarios(names: &[String]) -> Result<Vec<(String, Scenario)>, Failure> {
    let all = Scenario::all();
    let of = |name: &String| {
        let found = all.iter().find(|(own, _)| own == name);
        found.map(|(_, scenario)| (name.clone(), scenario.clone())).ok_or_else(|| {
            let names: Vec<&str> = all.iter().map(|(name, _)| *name).collect();
            let message = format!("there is no bench device “{name}”; there are {}", names.join(", "));
            Failure::new(Exit::Usage, message)
        })
    };
    names.iter().map(of).collect()
}

fn scenarios(arguments: &SimArguments) -> Result<Vec<Scenario>, Failure> {
    let usage = |message: String| Failure::new(Exit::Usage, message);
    let named = named_scenarios(&arguments.device)?;
    let mut chosen: Vec<Scenario> = named.into_iter().map(|(_, scenario)| scenario).collect();
    for level in &arguments.android {
        let levels = || Scenario::LEVELS.map(|(level, _)| level.to_string()).join(", ");
        let found = Scenario::of_level(*level);
        chosen.push(
            found.ok_or_else(|| usage(format!("there is no bench device of level {level}; there are {}", levels())))?,
        );
    }
    chosen.extend(read_scenarios(&arguments.scenario)?);
    if chosen.is_empty() {
        chosen.extend([Scenario::crew_phone(), Scenario::spare_handset()]);
    }
    if arguments.android_8_1 {
        chosen[0] = chosen[0].clone().with_android_8_1();
    }
    if let Some(count) = arguments.packages {
        chosen = chosen.into_iter().map(|scenario| scenario.grown(count)).collect();
    }
    Ok(chosen)
}

/// Keeps an Android without a daemon of its own.
#[cfg(unix)]
async fn behind(root: &std::path::Path, arguments: &SimArguments) -> Result<Exit, Failure> {
    let failed = |e: std::io::Error| Failure::trouble(format!("{}: {e}", root.display()));
    let scenario = scenarios(arguments)?.into_iter().next().unwrap_or_else(Scenario::crew_phone);
    let android = Arc::new(SimAndroid::new(scenario, arguments.seed));
    arguments.fault.iter().for_each(|fault| android.set_fault(fault.clone()));
    android.write_files(root, !arguments.no_apks).map_err(failed)?;
    android
        .serve(&root.join("phone/android.sock"), |asked| {
            if asked != Asked::Nothing {
                tell(format_args!("a program asks for it: {asked:?}"));
            }
        })
        .map_err(failed)?;
    line(serde_json::json!({ "behind": root.display().to_string() }));
    let mut written = 0;
    let mut transcript = match &arguments.transcript {
        Some(path) => {
            Some(std::fs::File::create(path).map_err(|e| Failure::trouble(format!("{}: {e}", path.display())))?)
        }
        None => None,
    };
    let mut tick = tokio::time::interval(Duration::from_millis(100));
    let ended = crate::signals::terminated();
    tokio::pin!(ended);
    let mut interrupts = crate::signals::Interrupts::listen();
    loop {
        tokio::select! {
            () = &mut ended => return Ok(Exit::Done),
            () = interrupts.next() => return Ok(Exit::Done),
            _ = tick.tick() => {
                let Some(file) = &mut transcript else { continue };
                let lines = android.transcript();
                for line in &lines[written..] {
                    writeln!(file, "{line}").map_err(Failure::trouble)?;
                }
                written = lines.len();
            }
        }
    }
}

/// Starts bench devices and keeps them until interrupted.
pub(crate) async fn run(arguments: SimArguments, announcements: Option<PathBuf>) -> Result<Exit, Failure> {
    #[cfg(unix)]
    if let Some(root) = &arguments.behind {
        return behind(root, &arguments).await;
    }
    let mut devices = Vec::new();
    let network = SimNetwork::default();
    for (n, scenario) in scenarios(&arguments)?.into_iter().enumerate() {
        let port = arguments.port.map_or(0, |port| port.saturating_add(n as u16));
        let options = Options {
            // Who announces a device to others has it reached by them.
            listen: (if arguments.mdns { Ipv4Addr::UNSPECIFIED } else { Ipv4Addr::LOCALHOST }, port).into(),
            allow: arguments.allow,
            seed: arguments.seed.wrapping_add(n as u64),
            network: Some(network.clone()),
            ..Options::default()
        };
        let device = SimDevice::start(scenario, options)
            .await
            .map_err(|e| Failure::trouble(format!("a bench device could not listen on 127.0.0.1:{port}: {e}")))?;
        arguments.fault.iter().for_each(|fault| device.set_fault(fault.clone()));
        devices.push(device);
    }
    // It is there before anybody is told of the devices.
    let mut transcript = match &arguments.transcript {
        Some(path) => {
            Some(std::fs::File::create(path).map_err(|e| Failure::trouble(format!("{}: {e}", path.display())))?)
        }
        None => None,
    };
    for device in &devices {
        let (serial, address, model) = (device.serial(), device.address().to_string(), device.model());
        if arguments.json {
            let instance = device.instance();
            line(serde_json::json!({
                "serial": serial, "address": address, "model": model, "name": instance, "simulated": true
            }));
        } else {
            line(format_args!("{serial:<20} {address:<22} {model} (simulated)"));
        }
    }
    if !arguments.json {
        tell(LINES);
    }
    let mut written = vec![0; devices.len()];
    let mut lines = BufReader::new(tokio::io::stdin()).lines();
    let mut listening = true;
    let mut tick = tokio::time::interval(Duration::from_millis(100));
    let ended = async {
        tokio::select! {
            () = crate::signals::terminated() => {}
            _ = tokio::signal::ctrl_c() => {}
        }
    };
    tokio::pin!(ended);
    let mut announced = network.seen();
    announced.mark_changed();
    let mut mdns = if arguments.mdns { Some(MdnsAnnouncer::start().map_err(Failure::trouble)?) } else { None };
    loop {
        if announced.has_changed().unwrap_or(false) {
            let now = announced.borrow_and_update().clone();
            if let Some(file) = &announcements {
                crate::announced::write(file, &now)
                    .map_err(|e| Failure::trouble(format!("{}: {e}", file.display())))?;
            }
            if let Some(mdns) = &mut mdns {
                mdns.set(&now).map_err(Failure::trouble)?;
            }
        }
        tokio::select! {
            () = &mut ended => break,
            _ = tick.tick() => write_transcript(&devices, &mut written, transcript.as_mut())?,
            line = lines.next_line(), if listening => match line {
                Ok(Some(line)) => obey(&line, &devices).await,
                _ => listening = false,
            },
        }
    }
    write_transcript(&devices, &mut written, transcript.as_mut())?;
    Ok(Exit::Done)
}

const LINES: &str = "Lines to type: allow, deny, restart, fault FAULT, code (shows one), scan QR-TEXT, close-dialog, \
second-switch on|off, usb-debugging on|off, wireless on|off, remove-user N, \
update (of its system, where there is one), update-apps, factory-reset, try-again. Ctrl-C ends the devices.";

async fn obey(text: &str, devices: &[SimDevice]) {
    let (word, rest) = text.trim().split_once(' ').unwrap_or((text.trim(), ""));
    let on = rest != "off";
    let act = match word {
        "" => return,
        "fault" => {
            match rest.parse::<Fault>() {
                Ok(fault) => devices.iter().for_each(|device| device.set_fault(fault.clone())),
                Err(error) => tell(error),
            }
            return;
        }
        "allow" => OwnerAction::Allow,
        "deny" => OwnerAction::Deny,
        "restart" => OwnerAction::Restart,
        "try-again" => OwnerAction::TryAgain,
        "update" => OwnerAction::UpdateSystem,
        "update-apps" => OwnerAction::UpdateApps,
        "factory-reset" => OwnerAction::FactoryReset,
        "code" => OwnerAction::ShowCode,
        "close-dialog" => OwnerAction::CloseDialog,
        "scan" => OwnerAction::Scan(rest.to_owned()),
        "second-switch" => OwnerAction::SecondSwitch(on),
        "usb-debugging" => OwnerAction::UsbDebugging(on),
        "wireless" => OwnerAction::WirelessDebugging(on),
        "remove-user" => match rest.parse() {
            Ok(user) => OwnerAction::RemoveUser(user),
            Err(_) => return tell(LINES),
        },
        _ => return tell(LINES),
    };
    for device in devices {
        match device.act(act.clone()).await {
            Ok(Some(dialog)) if !dialog.scanned => line(serde_json::json!({
                "serial": device.serial(), "pairing": dialog.address.to_string(), "code": dialog.code
            })),
            Ok(_) => {}
            Err(error) => tell(format_args!("the device could not do that: {error}")),
        }
    }
}

fn write_transcript(
    devices: &[SimDevice],
    written: &mut [usize],
    file: Option<&mut std::fs::File>,
) -> Result<(), Failure> {
    let Some(file) = file else { return Ok(()) };
    for (device, done) in devices.iter().zip(written) {
        let lines = device.transcript();
        for line in &lines[*done..] {
            writeln!(file, "{} {line}", device.serial()).map_err(Failure::trouble)?;
        }
        *done = lines.len();
    }
    Ok(())
}
