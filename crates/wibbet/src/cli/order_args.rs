//! What can be typed behind `wibbet order`.

use std::path::PathBuf;

use clap::{Args, Subcommand};
use wibbet_core::plan::Change;
use wibbet_types::{PackageId, RunId};

use super::commands::order::Making;
use super::commands::order_apply::{Applying, StopOn};
use super::commands::order_record::WantedRecord;
use super::options::{How, Sending, WantedJob};

#[derive(Debug, Subcommand)]
pub(crate) enum OrderCommand {
    /// Makes an order: of a run, of what is off a device, or of a list.
    Make {
        /// The device; with it is noted what ties each package there. A run and a list do without.
        device: Option<String>,
        /// What this run took out.
        #[arg(long, value_name = "NUMBER", conflicts_with_all = ["off", "from"])]
        run: Option<RunId>,
        /// What runs took out of the device and is off still.
        #[arg(long, requires = "device", conflicts_with = "from")]
        off: bool,
        /// With what was off before Wibbet.
        #[arg(long, requires = "off")]
        before_too: bool,
        /// A list: ids, a tray, CSV, JSON, or another order. `-` is standard input.
        #[arg(long, value_name = "FILE", required_unless_present_any = ["run", "off"], conflicts_with = "device")]
        from: Option<PathBuf>,
        /// The way for what a list gives none; as each would be marked where left out.
        #[arg(long, requires = "from")]
        way: Option<Change>,
        /// Where it is written to, which must not be there yet; the ending says the form: .toml, .json, .csv, or .txt for ids alone. `-`
        /// is standard output.
        #[arg(long, value_name = "FILE")]
        to: PathBuf,
        /// What people call it.
        #[arg(long)]
        name: Option<String>,
        /// What it is for.
        #[arg(long)]
        purpose: Option<String>,
        /// It is for devices of this maker and model alone.
        #[arg(long, conflicts_with = "from")]
        for_model: bool,
    },
    /// Shows an order, and what it would come to on devices. Nothing is sent that changes them.
    Check {
        /// The order.
        file: PathBuf,
        /// The devices: ids, serials, or HOST:PORT; without any the order alone is read.
        devices: Vec<String>,
        #[command(flatten)]
        wanted: WantedOrder,
        /// One JSON object on standard output.
        #[arg(long)]
        json: bool,
    },
    /// Carries an order out on devices, on all of them at the same time, each with a run of its own.
    Apply {
        /// The order.
        file: PathBuf,
        /// The devices: ids, serials, or HOST:PORT.
        #[arg(required_unless_present = "line", conflicts_with = "line")]
        devices: Vec<String>,
        /// On each device that is plugged in and allowed from now on, and at addresses that --at names, until Ctrl-C; devices that are met
        /// by air alone are left out.
        #[arg(long, conflicts_with = "dry_run")]
        line: bool,
        #[command(flatten)]
        wanted: WantedOrder,
        /// On what a device is left as it is by then: something was refused, something is tied otherwise than where the order was made,
        /// there is trouble with the device.
        #[arg(long, value_name = "WHAT", num_args = 1..)]
        stop_on: Vec<StopOn>,
        /// All devices stop, not only the one where it happens.
        #[arg(long, requires = "stop_on")]
        stop_all: bool,
        #[command(flatten)]
        job: WantedJob,
        #[command(flatten)]
        sending: Sending,
    },
    /// What became of an order on each device, by the runs in the logbook.
    Record {
        #[command(flatten)]
        wanted: WantedRecord,
    },
    /// Prints the JSON schema of orders.
    Schema,
}

/// How an order is held against devices.
#[derive(Debug, Args)]
pub(crate) struct WantedOrder {
    /// Take these out although they are tied otherwise than where the order was made.
    #[arg(long, value_name = "ID", num_args = 1..)]
    despite_holds: Vec<PackageId>,
    /// Also on devices that the order is not for.
    #[arg(long)]
    any_device: bool,
    /// Send what cannot be undone, too.
    #[arg(long)]
    no_way_back: bool,
}

impl OrderCommand {
    /// Whether it takes no device, and no logbook.
    pub(crate) fn is_about_files(&self) -> bool {
        match self {
            Self::Schema => true,
            Self::Check { devices, .. } => devices.is_empty(),
            Self::Make { from, .. } => from.is_some(),
            Self::Apply { .. } | Self::Record { .. } => false,
        }
    }

    /// Whether its answer is JSON.
    pub(crate) fn is_json(&self) -> bool {
        match self {
            Self::Check { json, .. } => *json,
            Self::Apply { sending, .. } => sending.json,
            Self::Record { wanted } => wanted.json,
            Self::Make { .. } | Self::Schema => false,
        }
    }
}

/// What is to be done, taken together.
pub(crate) enum Ordered {
    Make(Making),
    Check(Applying),
    Apply(Applying),
    Line(Applying),
    Schema,
}

impl From<OrderCommand> for Ordered {
    fn from(command: OrderCommand) -> Self {
        let applying = |file, devices, wanted: WantedOrder, how| Applying {
            file,
            devices,
            despite: wanted.despite_holds.into_iter().collect(),
            any_device: wanted.any_device,
            no_way_back: wanted.no_way_back,
            stop_on: Vec::new(),
            stop_all: false,
            job: None,
            how,
        };
        match command {
            // The record is of the logbook alone, and seen to before.
            OrderCommand::Schema | OrderCommand::Record { .. } => Self::Schema,
            OrderCommand::Make { device, run, off: _, before_too, from, way, to, name, purpose, for_model } => {
                Self::Make(Making { device, run, before_too, from, way, to, name, purpose, for_model })
            }
            OrderCommand::Check { file, devices, wanted, json } => {
                Self::Check(applying(file, devices, wanted, How { json, ..How::default() }))
            }
            OrderCommand::Apply { file, devices, line, wanted, stop_on, stop_all, job, sending } => {
                let all =
                    Applying { stop_on, stop_all, job: job.job(), ..applying(file, devices, wanted, sending.into()) };
                if line { Self::Line(all) } else { Self::Apply(all) }
            }
        }
    }
}
