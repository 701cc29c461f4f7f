//! What can be typed: commands and options.

use std::time::Duration;

use clap::{Parser, Subcommand};
use wibbet_core::ask::{PartSwitch, RestartTo};
use wibbet_core::diagnosis::{Check, Evaluation, Since};
use wibbet_core::plan::OnRefusal;
use wibbet_types::{Address, CopyId, DeviceId, DevicePath, PackageId, RunId, UserId};

use super::commands::life::WantedLife;
use super::commands::sheet::WantedSheet;
use super::options::{How, Sending, WantedBack, WantedJob, WantedWays};
use super::order_args::OrderCommand;
use crate::config::LeftOut;
use crate::sim;

/// Takes packages out of Android devices, per user and in batches, and puts them back.
///
/// Without a command the full-screen program starts.
#[derive(Debug, Parser)]
#[command(version = env!("WIBBET_VERSION"), after_help = EXIT_CODES)]
pub(crate) struct Arguments {
    /// A device by address; may be given several times.
    #[arg(long, value_name = "HOST:PORT", global = true, help_heading = "Everywhere")]
    pub(crate) at: Vec<Address>,
    /// Seconds to wait for a device's answer to a change [default: 60].
    #[arg(long, value_name = "SECONDS", global = true, help_heading = "Everywhere", value_parser = seconds)]
    pub(crate) answer_within: Option<Duration>,
    /// Seconds to wait for somebody to allow this computer on the device [default: 180; for `bench` 5].
    #[arg(long, value_name = "SECONDS", global = true, help_heading = "Everywhere", value_parser = seconds)]
    pub(crate) allow_within: Option<Duration>,
    /// Look at no cables and no announcements: only at addresses that are named or were met before.
    #[arg(long, global = true, help_heading = "Everywhere")]
    pub(crate) no_search: bool,
    /// Read announcements from this file in place of the network, as `wibbet sim --announcements` writes it.
    #[arg(long, value_name = "FILE", global = true, help_heading = "Everywhere")]
    pub(crate) announcements: Option<std::path::PathBuf>,
    /// Say on standard error only what went wrong.
    #[arg(short, long, global = true, help_heading = "Everywhere", conflicts_with = "verbose")]
    pub(crate) quiet: bool,
    /// Tell on standard error each command that goes to a device, with how it ended.
    #[arg(short, long, global = true, help_heading = "Everywhere")]
    pub(crate) verbose: bool,
    #[command(subcommand)]
    pub(crate) command: Option<Command>,
}

const EXIT_CODES: &str = "Exit codes: 0 all done and read back; 1 nothing done; 2 usage; 3 partly done; 4 unsettled; \
5 no device; 6 not authorised; 7 another Wibbet is at work on the device; 8 other trouble.\n\
WIBBET_HOME names a folder for configuration and data in place of the system's.";

#[derive(Debug, Subcommand)]
pub(crate) enum LogbookCommand {
    /// Whether all of it can be read and fits together.
    Check {
        /// One JSON object on standard output.
        #[arg(long)]
        json: bool,
    },
    /// Writes a copy of it as it is at this moment, also while it is in use.
    Backup {
        /// The file to write, which must not be there yet.
        file: std::path::PathBuf,
    },
    /// Takes in the logbook of another bench, as `backup` there has written it: devices, runs, notes and update breaks. Twice is as once.
    Merge {
        /// The file.
        file: std::path::PathBuf,
        /// One JSON object on standard output.
        #[arg(long)]
        json: bool,
    },
    /// Writes out what is kept of a device, or of all: every step of every run.
    Export {
        /// An id or a serial.
        device: Option<String>,
        /// A table in place of a JSON object, a line for each step.
        #[arg(long)]
        csv: bool,
        /// What is left out: the serial, and ids made of it; usage, which is what was measured and seen.
        #[arg(long, value_name = "WHAT", value_delimiter = ',')]
        without: Vec<LeftOut>,
        /// One JSON object on standard output, which is so without this too.
        #[arg(long, conflicts_with = "csv")]
        json: bool,
    },
    /// Erases what is kept of devices that were not seen for as many days as the configuration says, and names them before. What is not
    /// done, on a break for a system update, or offered to others stays.
    Tidy {
        /// After so many days without it, in place of what is configured.
        #[arg(long, value_name = "DAYS")]
        unseen_days: Option<u32>,
        /// Do not ask first.
        #[arg(long, conflicts_with = "dry_run")]
        yes: bool,
        /// Only tell what would be erased.
        #[arg(long)]
        dry_run: bool,
        /// One JSON object on standard output.
        #[arg(long)]
        json: bool,
    },
    /// Erases everything that is kept of a device, its runs and copies too, and says what that was. Nothing brings it back.
    Erase {
        /// An id or a serial.
        device: String,
        /// Do not ask first.
        #[arg(long)]
        yes: bool,
        /// One JSON object on standard output.
        #[arg(long)]
        json: bool,
    },
}

#[derive(Debug, Subcommand)]
pub(crate) enum Command {
    /// The full-screen program with the simulated bench devices of the demo workshop.
    Demo {
        /// One more device, from a scenario file; docs/scenarios.md says how one is written.
        #[arg(long, value_name = "FILE")]
        scenario: Vec<std::path::PathBuf>,
    },
    /// The screen for the very device that this runs on: its own wireless debugging is paired with, and found again.
    ///
    /// In the terminal of a phone, tablet or television no computer is needed.
    Here {
        /// Only say where this device's debugging is, and end.
        #[arg(long)]
        find: bool,
        /// One JSON object on standard output.
        #[arg(long, requires = "find")]
        json: bool,
    },
    /// Simulated bench devices standing alone, until interrupted.
    Sim(sim::SimArguments),
    /// What holds foretell, held against what breaks on simulated devices without the packages.
    Score(crate::score::ScoreArguments),
    /// The devices at hand: on cables, on the network, named with --at, and met before at an address.
    Bench {
        /// Go on until interrupted, with a line for each change.
        #[arg(long)]
        watch: bool,
        /// One JSON object on standard output.
        #[arg(long)]
        json: bool,
    },
    /// How far the link to a device has got, rung by rung, and what to do about the first one that is missing.
    Link {
        /// An id, a serial, or HOST:PORT.
        device: String,
        /// One JSON object on standard output.
        #[arg(long)]
        json: bool,
    },
    /// Pairs this computer with a device for wireless debugging.
    Pair {
        /// Where the device offers pairing: HOST:PORT from its dialog with the code.
        #[arg(required_unless_present = "qr")]
        address: Option<Address>,
        /// The six digits that the device shows.
        #[arg(long, value_name = "CODE", required_unless_present = "qr", conflicts_with = "qr")]
        code: Option<String>,
        /// Show a QR code for the device to scan.
        #[arg(long, conflicts_with = "address")]
        qr: bool,
        /// One JSON object on standard output.
        #[arg(long)]
        json: bool,
    },
    /// Closes the link: puts back what was changed for it and switches debugging off on the device.
    Close {
        /// An id, a serial, or HOST:PORT.
        device: String,
        /// Leave debugging switched on.
        #[arg(long)]
        keep_debugging: bool,
        /// Do not link the device by itself any more. Its runs stay in the logbook.
        #[arg(long)]
        forget: bool,
        /// Bring the copies that are kept of its apps into this folder, for its owner; they are on this computer no longer.
        #[arg(long, value_name = "FOLDER", conflicts_with = "delete_copies")]
        hand_over_copies: Option<std::path::PathBuf>,
        /// Delete the copies that are kept of its apps: what only they bring back cannot be put back from here any more.
        #[arg(long)]
        delete_copies: bool,
        /// Do not ask before switching debugging off.
        #[arg(long)]
        yes: bool,
        /// One JSON object on standard output.
        #[arg(long)]
        json: bool,
    },
    /// Restarts a device, once it has written down what was changed on it.
    Restart {
        /// An id, a serial, or HOST:PORT.
        device: String,
        /// Into what: system, recovery or bootloader. From the last two it comes back by hand only.
        #[arg(long, value_name = "WHERE", default_value = "system", value_parser = into)]
        to: RestartTo,
        /// Wait until it is linked again and has started up: five minutes at most.
        #[arg(long)]
        wait: bool,
        /// Do not ask first.
        #[arg(long)]
        yes: bool,
        /// One JSON object on standard output.
        #[arg(long)]
        json: bool,
    },
    /// Takes a picture of what is on a device's screen, as PNG.
    Picture {
        /// An id, a serial, or HOST:PORT.
        device: String,
        /// The file to write, which must not be there yet.
        file: std::path::PathBuf,
        /// One JSON object on standard output.
        #[arg(long)]
        json: bool,
    },
    /// Looks after the logbook itself: checks it, copies it, erases what it has of a device. No device is asked anything.
    Logbook {
        #[command(subcommand)]
        what: LogbookCommand,
    },
    /// Orders: files with packages and ways, applied to one device after the other, or to several at once.
    Order {
        #[command(subcommand)]
        what: OrderCommand,
    },
    /// The job sheet of a run or a device, as text, PDF and SVG: what was done and why not, what works differently, how it comes back, and
    /// the device before and after. It is made of the logbook alone.
    Sheet {
        #[command(flatten)]
        wanted: WantedSheet,
    },
    /// Looks whether this computer has what it takes – folders, cables, network, terminal – and says what to do where it has not. Nothing
    /// is sent to any device.
    Doctor {
        /// One JSON object on standard output.
        #[arg(long)]
        json: bool,
    },
    /// Prints a script with which a shell completes the commands and options of Wibbet.
    Completions {
        /// For which shell.
        shell: clap_complete::Shell,
    },
    /// Writes the man pages, one for each command.
    Man {
        /// The folder to write them into; it is made where it is not there.
        folder: std::path::PathBuf,
    },
    /// Prints a udev rule that lets this user open devices on cables, and where to put it (Linux).
    UsbRule,
    /// What is installed on a device, and for whom.
    Packages {
        /// An id, a serial, or HOST:PORT.
        device: String,
        #[command(flatten)]
        wanted: super::commands::packages::Wanted,
    },
    /// What ties packages to a device: what stops without them, how sure that is, and what shows it.
    Why {
        /// An id, a serial, or HOST:PORT.
        device: String,
        #[command(flatten)]
        wanted: super::commands::why::Wanted,
    },
    /// What taking packages out would do to a device, all of them together. Nothing is changed.
    Upshot {
        /// An id, a serial, or HOST:PORT.
        device: String,
        #[command(flatten)]
        tray: super::commands::why::Tray,
    },
    /// Takes packages out.
    Run {
        /// An id, a serial, or HOST:PORT.
        device: String,
        /// The user for whom, but for what a tray names.
        #[arg(long, required_unless_present = "tray")]
        user: Option<UserId>,
        #[command(flatten)]
        ways: Box<WantedWays>,
        /// Take a tray from a file, too; `-` reads it from standard input. Each line has a way, a user and an id, as in
        /// `disable 0 com.ostrel.notes`.
        #[arg(long, value_name = "FILE|-")]
        tray: Option<std::path::PathBuf>,
        /// Install this app first: an APK, or a folder or archive with the parts of one. Where it is refused nothing is taken out.
        #[arg(long, value_name = "FILE", requires = "user")]
        install: Vec<std::path::PathBuf>,
        /// What is tried by itself where the device refuses a step: leave, disable, suspend, or disable,suspend.
        #[arg(long, value_name = "POLICY", default_value = "leave")]
        policy: OnRefusal,
        /// Take packages from a plain list of ids, too; `-` reads it from standard input. What of it is not on the
        /// device is told and left out.
        #[arg(long, value_name = "FILE|-", requires = "user")]
        from: Option<std::path::PathBuf>,
        /// Disable what the list names, in place of uninstalling it.
        #[arg(long, requires = "from")]
        from_disable: bool,
        /// Keep the data of what is uninstalled.
        #[arg(long)]
        keep_data: bool,
        /// Send also what could not be put back from here.
        #[arg(long)]
        no_way_back: bool,
        /// Send this one also where the device is not expected to start without it, or could not be used. What the package
        /// service itself needs is never sent.
        #[arg(long, value_name = "ID", num_args = 1..)]
        despite_start: Vec<PackageId>,
        #[command(flatten)]
        job: WantedJob,
        #[command(flatten)]
        how: How,
    },
    /// What is off a device: who took it out, and the state that putting it back leads to.
    Shelf {
        /// An id, a serial, or HOST:PORT.
        device: String,
        /// Of this user only.
        #[arg(long)]
        user: Option<UserId>,
        /// One JSON object on standard output.
        #[arg(long)]
        json: bool,
    },
    /// Which settings of a device orders have set, and what each was before; with --put-back they are put back, each read back.
    Settings {
        /// An id, a serial, or HOST:PORT.
        device: String,
        /// Put them back, the last one first. What somebody has set otherwise since stays.
        #[arg(long)]
        put_back: bool,
        #[command(flatten)]
        sending: Sending,
    },
    /// Puts packages back to the state they had before Wibbet took them out.
    PutBack {
        /// An id, a serial, or HOST:PORT.
        device: String,
        #[command(flatten)]
        wanted: WantedBack,
        #[command(flatten)]
        job: WantedJob,
        #[command(flatten)]
        how: How,
    },
    /// Installs an app for a user out of files of this computer: an APK, all parts of an app, a folder of them, or an archive of them.
    Install {
        /// An id, a serial, or HOST:PORT.
        device: String,
        /// The files.
        #[arg(required_unless_present = "copy", value_name = "FILE")]
        files: Vec<std::path::PathBuf>,
        /// A copy that is kept here in place of files: of this device, or of another one of its model that was offered to its like.
        #[arg(long, value_name = "NUMBER", conflicts_with = "files")]
        copy: Option<CopyId>,
        /// The user for whom.
        #[arg(long)]
        user: UserId,
        #[command(flatten)]
        job: WantedJob,
        #[command(flatten)]
        how: How,
    },
    /// Switches one part of a package off for a user, or as it was, as root (with --root).
    Part {
        /// An id, a serial, or HOST:PORT.
        device: String,
        /// The package.
        package: PackageId,
        /// The class of the part: in full, or from a dot on where it is of the package.
        class: String,
        /// The user for whom.
        #[arg(long)]
        user: UserId,
        /// How: off, on, or as-declared for as its manifest says.
        #[arg(long, value_name = "HOW", value_parser = switch)]
        set: PartSwitch,
        /// Show what would be sent, and send nothing.
        #[arg(long)]
        dry_run: bool,
        /// Do not ask before sending.
        #[arg(long)]
        yes: bool,
        /// Ask the device for root first: without it no part is switched.
        #[arg(long, required = true)]
        root: bool,
        /// One JSON object on standard output.
        #[arg(long)]
        json: bool,
    },
    /// Brings a file from a device. One that was broken off goes on where it was.
    Pull {
        /// An id, a serial, or HOST:PORT.
        device: String,
        /// The file on the device.
        there: DevicePath,
        /// Where to, a file or a folder; here under its own name when left out.
        here: Option<std::path::PathBuf>,
        /// One JSON object on standard output.
        #[arg(long)]
        json: bool,
    },
    /// Brings a file to a device.
    Push {
        /// An id, a serial, or HOST:PORT.
        device: String,
        /// The file on this computer.
        here: std::path::PathBuf,
        /// Where to on the device: a file, or a folder with `/` at its end, such as /sdcard/Download/.
        there: DevicePath,
        /// One JSON object on standard output.
        #[arg(long)]
        json: bool,
    },
    /// Waits for a device that does not start any more, and puts back what was taken out of it in the moments in which it can be asked.
    Catch {
        /// An id, a serial, or HOST:PORT, of a device that was met before.
        #[arg(required_unless_present = "next")]
        device: Option<String>,
        /// Whichever device is met next and has something out.
        #[arg(long, conflicts_with = "device")]
        next: bool,
        /// What this run took out; the last one that has anything out when left out.
        #[arg(long, value_name = "NUMBER", conflicts_with_all = ["all", "next"])]
        run: Option<RunId>,
        /// What all runs took out.
        #[arg(long)]
        all: bool,
        /// Do not ask before waiting and sending.
        #[arg(long)]
        yes: bool,
        /// One JSON object on standard output.
        #[arg(long)]
        json: bool,
    },
    /// Finds out which of the packages that went is why something is broken: puts some of them back, asks whether it is broken still, and goes
    /// on from that; days may lie in between.
    FindFault {
        /// An id, a serial, or HOST:PORT.
        device: String,
        /// Suspect what this run took out; what all runs did when left out.
        #[arg(long, value_name = "NUMBER")]
        run: Option<RunId>,
        /// What is broken, in your words.
        #[arg(long, value_name = "TEXT")]
        what: Option<String>,
        /// Tell by itself whether it is broken still: answered ACTION (nobody answers that action while it is), fails ID (that app fails), or starts (the device
        /// is restarted, and starts up or not).
        #[arg(long, value_name = "CHECK")]
        check: Option<Check>,
        /// What was seen with what is back now: still (it is broken still), gone, or cannot-tell.
        #[arg(long, value_name = "SEEN", value_parser = evaluation)]
        seen: Option<Evaluation>,
        /// Take the last answer back: it was wrong.
        #[arg(long)]
        again: bool,
        /// End it; what is off and what is back stays as it is.
        #[arg(long, conflicts_with_all = ["seen", "again"])]
        end: bool,
        /// Let this one go again, too, although the start of the device needs it.
        #[arg(long, value_name = "ID", num_args = 1..)]
        despite_start: Vec<PackageId>,
        /// Show what would be sent, and send nothing.
        #[arg(long)]
        dry_run: bool,
        /// Do not ask before sending.
        #[arg(long)]
        yes: bool,
        /// One JSON object on standard output.
        #[arg(long)]
        json: bool,
    },
    /// What has changed on a device since an earlier look at it: what came back by itself, what is new, gone, off or in another version, and
    /// by whom.
    Changes {
        /// An id, a serial, or HOST:PORT.
        device: String,
        /// Since when: run-NUMBER, look-NUMBER, a date, or a moment; the last look when left out.
        #[arg(long, value_name = "WHEN", value_parser = super::commands::changes::since, conflicts_with_all = ["beside", "looks"])]
        since: Option<Since>,
        /// Beside another device of the logbook, as it was last seen.
        #[arg(long, value_name = "DEVICE", conflicts_with_all = ["looks", "tray"])]
        beside: Option<DeviceId>,
        /// List the looks that are kept; the device is not asked.
        #[arg(long, conflicts_with = "tray")]
        looks: bool,
        /// Print what runs had taken out and is in use again, as a tray for `run --tray`.
        #[arg(long, conflicts_with = "json")]
        tray: bool,
        /// One JSON object on standard output.
        #[arg(long)]
        json: bool,
    },
    /// Update breaks: what is out comes back before a system update, and goes again behind it. Without --begin or --end it tells how that
    /// stands and sends nothing.
    UpdateBreak {
        /// An id, a serial, or HOST:PORT.
        device: String,
        /// Begin: put everything back that runs took out, and remember it; on a device that is on break, what is still out.
        #[arg(long, conflicts_with = "end")]
        begin: bool,
        /// With what was off before Wibbet.
        #[arg(long, conflicts_with = "end")]
        before_too: bool,
        /// Write the break to this file too, which must not be there yet, so that another bench can end it.
        #[arg(long, value_name = "FILE", requires = "begin")]
        file: Option<std::path::PathBuf>,
        /// End: take out again what was out, but for what has other holds than then.
        #[arg(long)]
        end: bool,
        /// The break that another bench has written to this file.
        #[arg(long, value_name = "FILE", conflicts_with = "begin")]
        from: Option<std::path::PathBuf>,
        /// End it, and leave everything as it is.
        #[arg(long, requires = "end")]
        leave: bool,
        /// Take this out again, too, although it has other holds than before.
        #[arg(long, value_name = "ID", num_args = 1.., requires = "end")]
        despite_holds: Vec<PackageId>,
        #[command(flatten)]
        sending: Sending,
    },
    /// Carries on with a run that was stopped or interrupted.
    CarryOn {
        /// An id, a serial, or HOST:PORT.
        device: String,
        /// The run's number; the device's latest unfinished one when left out.
        run: Option<RunId>,
        #[command(flatten)]
        how: How,
    },
    /// The copies of apps that are kept here, the latest first, and which of them are offered to other devices of their model.
    Copies {
        /// Only those of this device, by its id.
        #[arg(long)]
        of: Option<DeviceId>,
        /// Let these be installed on other devices of the same model too.
        #[arg(long, value_name = "NUMBER", num_args = 1..)]
        offer: Vec<CopyId>,
        /// Keep these for their own device again.
        #[arg(long, value_name = "NUMBER", num_args = 1..)]
        withdraw: Vec<CopyId>,
        /// One JSON object on standard output.
        #[arg(long)]
        json: bool,
    },
    /// What has happened to a device, as far as the logbook knows: looks, runs, updates, breaks, and what changed by itself.
    Life {
        #[command(flatten)]
        wanted: WantedLife,
    },
    /// The configuration as it is, where it stands, and what can be written into it.
    Config {
        /// Write a file with every setting, its default and what it is for, where there is none yet.
        #[arg(long)]
        write: bool,
        /// One JSON object on standard output.
        #[arg(long)]
        json: bool,
    },
    /// The runs in the logbook.
    Runs {
        /// Only those with these words in their device, ticket, technician, customer, note or packages.
        #[arg(long, value_name = "WORDS")]
        search: Option<String>,
        /// One JSON object on standard output.
        #[arg(long)]
        json: bool,
    },
}

fn into(text: &str) -> Result<RestartTo, String> {
    RestartTo::from_name(text).ok_or_else(|| "it is system, recovery or bootloader".to_owned())
}

fn evaluation(text: &str) -> Result<Evaluation, String> {
    Evaluation::from_name(text).ok_or_else(|| "it is still, gone or cannot-tell".to_owned())
}

fn switch(text: &str) -> Result<PartSwitch, String> {
    PartSwitch::from_name(text).ok_or_else(|| "it is off, on or as-declared".to_owned())
}

fn seconds(text: &str) -> Result<Duration, String> {
    let seconds: f64 = text.parse().map_err(|_| "not a number of seconds".to_owned())?;
    Duration::try_from_secs_f64(seconds).ok().filter(|d| !d.is_zero()).ok_or_else(|| "not a time to wait".to_owned())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_arguments_hold_together() {
        use clap::CommandFactory as _;
        Arguments::command().debug_assert();
    }
}
