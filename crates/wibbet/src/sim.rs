//! `wibbet sim`: bench devices standing alone.

use std::io::Write as _;
use std::path::PathBuf;
use std::time::Duration;

use tokio::io::{AsyncBufReadExt as _, BufReader};
use wibbet_sim::{Allow, Fault, Options, Scenario, SimDevice};

use crate::cli::{Exit, Failure, line, tell};

/// Arguments of `wibbet sim`.
#[derive(Debug, clap::Args)]
pub(crate) struct SimArguments {
    /// A device of the demo workshop: crew-phone or spare-handset; both when left out.
    #[arg(long, value_name = "NAME")]
    device: Vec<String>,
    /// A device from a scenario file.
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

fn scenarios(arguments: &SimArguments) -> Result<Vec<Scenario>, Failure> {
    let usage = |message: String| Failure::new(Exit::Usage, message);
    let mut chosen = Vec::new();
    let all = Scenario::all();
    for name in &arguments.device {
        let found = all.iter().find(|(n, _)| n == name).ok_or_else(|| {
            let names: Vec<&str> = all.iter().map(|(n, _)| *n).collect();
            usage(format!("there is no bench device “{name}”; there are {}", names.join(", ")))
        })?;
        chosen.push(found.1.clone());
    }
    for file in &arguments.scenario {
        let text = std::fs::read_to_string(file).map_err(|e| usage(format!("{}: {e}", file.display())))?;
        chosen.push(Scenario::read(&text).map_err(|e| usage(format!("{}: {e}", file.display())))?);
    }
    if chosen.is_empty() {
        chosen.extend(all.into_iter().map(|(_, scenario)| scenario));
    }
    Ok(chosen)
}

/// Starts bench devices and keeps them until interrupted.
pub(crate) async fn run(arguments: SimArguments) -> Result<Exit, Failure> {
    let mut devices = Vec::new();
    for (n, scenario) in scenarios(&arguments)?.into_iter().enumerate() {
        let port = arguments.port.map_or(0, |port| port.saturating_add(n as u16));
        let options = Options {
            listen: ([127, 0, 0, 1], port).into(),
            allow: arguments.allow,
            seed: arguments.seed.wrapping_add(n as u64),
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
            line(serde_json::json!({ "serial": serial, "address": address, "model": model, "simulated": true }));
        } else {
            line(format_args!("{serial:<20} {address:<22} {model} (simulated)"));
        }
    }
    if !arguments.json {
        tell("Lines to type: allow, restart, fault FAULT. Ctrl-C ends the devices.");
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
    loop {
        tokio::select! {
            () = &mut ended => break,
            _ = tick.tick() => write_transcript(&devices, &mut written, transcript.as_mut())?,
            line = lines.next_line(), if listening => match line {
                Ok(Some(line)) => obey(&line, &devices),
                _ => listening = false,
            },
        }
    }
    write_transcript(&devices, &mut written, transcript.as_mut())?;
    Ok(Exit::Done)
}

fn obey(line: &str, devices: &[SimDevice]) {
    match line.trim().split_once(' ').unwrap_or((line.trim(), "")) {
        ("allow", _) => devices.iter().for_each(SimDevice::allow),
        ("restart", _) => devices.iter().for_each(SimDevice::restart),
        ("fault", fault) => match fault.parse::<Fault>() {
            Ok(fault) => devices.iter().for_each(|device| device.set_fault(fault.clone())),
            Err(error) => tell(error),
        },
        ("", _) => {}
        _ => tell("allow, restart, or fault FAULT"),
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
