//! How a bench device misbehaves on demand.

use std::str::FromStr;
use std::time::Duration;

use thiserror::Error;
use wibbet_types::PackageId;

use crate::scenario::Flaw;

/// A direction of the connection.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum Direction {
    /// From the host to the device.
    ToDevice,
    /// From the device to the host.
    FromDevice,
}

/// Where the connection is cut, once. Counting starts when the fault is set and goes on over
/// connections, the first packet or byte being number 0.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum CutAt {
    /// Instead of this packet: it is neither acted on nor sent.
    Packet(Direction, u64),
    /// Behind so many bytes, which may be in the middle of a packet.
    Bytes(Direction, u64),
}

/// How long a line takes: a round trip for each packet, and time for its bytes. Zero for none.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Default)]
pub struct Line {
    /// From a packet to the answer that it has come.
    pub trip: Duration,
    /// How many bytes pass in a second; 0 for any number.
    pub bytes_per_second: u64,
    /// What a program that a command starts takes of one of the device's four cores, beside what it does.
    pub process: Duration,
}

/// How long the package service is at work, which does one thing after the other. Zero for none.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Default)]
pub struct Work {
    /// At a change of one package.
    pub change: Duration,
    /// At telling of one package in short, or listing them; telling of one at length takes three times as long, of all six times.
    pub look: Duration,
}

/// When a looping device is to be reached, as one is whose kernel starts over and over.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub struct Window {
    /// How long its daemon answers in each round.
    pub reached: Duration,
    /// From one round to the next.
    pub round: Duration,
    /// How long of that the package service is there, at the end.
    pub service: Duration,
}

/// A fault.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Fault {
    /// Every command takes this long before anything happens.
    Latency(Duration),
    /// The line is as slow as a real one.
    Line(Line),
    /// The package service is as slow as a real one.
    Work(Work),
    /// The connection is cut.
    Cut(CutAt),
    /// No command is answered from now on; the connection stays up.
    Mute,
    /// Nothing comes through the connections that there are now, in either direction, and nothing is said of it: the
    /// device has left the network. Later ones are as they should be.
    Adrift,
    /// There are no tools for files.
    NoTools,
    /// Changes of packages are on the disk only when the device is told to write, however long that takes.
    LazyDisk,
    /// Where it starts over and over, the whole device does, not Android's framework alone.
    KernelLoops,
    /// The same, and it is to be reached for some time of each round only.
    Window(Window),
    /// It forgets which computers were allowed whenever it starts.
    ForgetsKeys,
    /// The log of events tells the shell nothing.
    NoLog,
    /// Its announcements are not withdrawn, so that what it announces next is renamed: ` (2)` stands behind the name, and so on.
    Renames,
    /// There is no room for anything more to be installed.
    Full,
    /// The partition of the system is verified when the device starts, and cannot be written.
    Verified,
    /// Android's framework has crashed so many times, and started again.
    FrameworkCrashes(u32),
    /// Every dump takes so many seconds of the time that it is given; what has not come by then is cut off.
    SlowDumps(u32),
    /// A package misbehaves.
    Package(PackageId, Flaw),
    /// Uninstalling a package fails with this reason.
    Refuse(PackageId, String),
    /// A command, word for word, is answered with this text, whatever is so. One for the package service begins with
    /// `package`, whichever way it comes.
    Says(String, String),
}

/// Text that is no fault.
#[derive(Debug, Clone, PartialEq, Eq, Error)]
#[error(
    "“{0}” is not a fault. Faults: latency=MS, line=MS:MB[:MS] (a round trip, a second, a process: 6), work=MS:MS (a change, a look), cut=to:N, cut=from:N (packets), cut-bytes=to:N, cut-bytes=from:N, mute, adrift, no-tools, slow-dumps=SECONDS, crashes=N, lazy-disk, kernel-loops, window=REACHED:ROUND:SERVICE (seconds), forgets-keys, no-log, renames, full, \
     says-yes=ID, comes-back=ID, never-answers=ID, acts-silently=ID, refuse=ID:REASON, says=COMMAND:TEXT"
)]
pub struct BadFault(String);

impl FromStr for Fault {
    type Err = BadFault;

    fn from_str(s: &str) -> Result<Self, BadFault> {
        let bad = || BadFault(s.to_owned());
        let (name, value) = s.split_once('=').unwrap_or((s, ""));
        let id = |text: &str| text.parse::<PackageId>().map_err(|_| bad());
        let place = |packets: bool| {
            let (way, n) = value.split_once(':').ok_or_else(bad)?;
            let n = n.parse().map_err(|_| bad())?;
            let way = match way {
                "to" => Direction::ToDevice,
                "from" => Direction::FromDevice,
                _ => return Err(bad()),
            };
            Ok(if packets { CutAt::Packet(way, n) } else { CutAt::Bytes(way, n) })
        };
        Ok(match name {
            "latency" => Self::Latency(Duration::from_millis(value.parse().map_err(|_| bad())?)),
            "line" => {
                let (trip, rate) = value.split_once(':').ok_or_else(bad)?;
                let trip = Duration::from_millis(trip.parse().map_err(|_| bad())?);
                let (rate, process) = rate.split_once(':').unwrap_or((rate, "6"));
                let megabytes: u32 = rate.parse().map_err(|_| bad())?;
                let process = Duration::from_millis(process.parse().map_err(|_| bad())?);
                Self::Line(Line { trip, bytes_per_second: u64::from(megabytes) * 1_000_000, process })
            }
            "work" => {
                let (change, look) = value.split_once(':').ok_or_else(bad)?;
                let time = |text: &str| text.parse().map(Duration::from_millis).map_err(|_| bad());
                Self::Work(Work { change: time(change)?, look: time(look)? })
            }
            "cut" => Self::Cut(place(true)?),
            "cut-bytes" => Self::Cut(place(false)?),
            "mute" => Self::Mute,
            "adrift" => Self::Adrift,
            "no-tools" => Self::NoTools,
            "lazy-disk" => Self::LazyDisk,
            "kernel-loops" => Self::KernelLoops,
            "window" => {
                let times: Option<Vec<u64>> = value.split(':').map(|text| text.parse().ok()).collect();
                let Some([reached, round, service]) =
                    times.as_deref().filter(|t| t.len() == 3 && t[2] <= t[0] && t[0] < t[1])
                else {
                    return Err(bad());
                };
                let [reached, round, service] = [*reached, *round, *service].map(Duration::from_secs);
                Self::Window(Window { reached, round, service })
            }
            "forgets-keys" => Self::ForgetsKeys,
            "no-log" => Self::NoLog,
            "renames" => Self::Renames,
            "full" => Self::Full,
            "verified" => Self::Verified,
            "crashes" => Self::FrameworkCrashes(value.parse().map_err(|_| bad())?),
            "slow-dumps" => Self::SlowDumps(value.parse().map_err(|_| bad())?),
            "says-yes" => Self::Package(id(value)?, Flaw::SaysYes),
            "comes-back" => Self::Package(id(value)?, Flaw::ComesBack),
            "never-answers" => Self::Package(id(value)?, Flaw::NeverAnswers),
            "acts-silently" => Self::Package(id(value)?, Flaw::ActsSilently),
            "refuse" => {
                let (package, reason) = value.split_once(':').ok_or_else(bad)?;
                Self::Refuse(id(package)?, reason.to_owned())
            }
            "says" => {
                let (command, text) = value.split_once(':').ok_or_else(bad)?;
                Self::Says(command.to_owned(), text.to_owned())
            }
            _ => return Err(bad()),
        })
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::line::cutter::{Cutter, Passage};

    #[test]
    fn faults_read_from_text() {
        let id: PackageId = "a.b".parse().unwrap();
        for (text, fault) in [
            ("latency=20", Fault::Latency(Duration::from_millis(20))),
            (
                "line=5:30",
                Fault::Line(Line {
                    trip: Duration::from_millis(5),
                    bytes_per_second: 30_000_000,
                    process: Duration::from_millis(6),
                }),
            ),
            (
                "line=5:30:0",
                Fault::Line(Line {
                    trip: Duration::from_millis(5),
                    bytes_per_second: 30_000_000,
                    process: Duration::ZERO,
                }),
            ),
            ("work=200:40", Fault::Work(Work { change: Duration::from_millis(200), look: Duration::from_millis(40) })),
            ("cut=to:3", Fault::Cut(CutAt::Packet(Direction::ToDevice, 3))),
            ("cut-bytes=from:100", Fault::Cut(CutAt::Bytes(Direction::FromDevice, 100))),
            ("mute", Fault::Mute),
            ("adrift", Fault::Adrift),
            ("slow-dumps=20", Fault::SlowDumps(20)),
            ("lazy-disk", Fault::LazyDisk),
            ("kernel-loops", Fault::KernelLoops),
            (
                "window=3:20:1",
                Fault::Window(Window {
                    reached: Duration::from_secs(3),
                    round: Duration::from_secs(20),
                    service: Duration::from_secs(1),
                }),
            ),
            ("no-log", Fault::NoLog),
            ("renames", Fault::Renames),
            ("full", Fault::Full),
            ("verified", Fault::Verified),
            ("crashes=2", Fault::FrameworkCrashes(2)),
            ("comes-back=a.b", Fault::Package(id.clone(), Flaw::ComesBack)),
            ("says=dumpsys package:x: y", Fault::Says("dumpsys package".into(), "x: y".into())),
            ("refuse=a.b:-1000", Fault::Refuse(id, "-1000".into())),
        ] {
            assert_eq!(text.parse::<Fault>().unwrap(), fault);
        }
        for bad in [
            "",
            "latency",
            "line=5",
            "line=x:1",
            "work=3",
            "window=3:20",
            "window=20:3:1",
            "cut=3",
            "cut=up:3",
            "says-yes=a b",
            "refuse=a.b",
        ] {
            assert!(bad.parse::<Fault>().is_err(), "{bad}");
        }
    }

    #[test]
    fn cuts_happen_once_and_where_asked() {
        let mut cutter = Cutter::default();
        cutter.set(CutAt::Packet(Direction::FromDevice, 1));
        assert_eq!(cutter.pass(Direction::FromDevice, 30), Passage::Whole);
        assert_eq!(cutter.pass(Direction::ToDevice, 30), Passage::Whole);
        assert_eq!(cutter.pass(Direction::FromDevice, 30), Passage::Cut(0));
        assert_eq!(cutter.pass(Direction::FromDevice, 30), Passage::Whole);
        cutter.set(CutAt::Bytes(Direction::ToDevice, 40));
        assert_eq!(cutter.pass(Direction::ToDevice, 30), Passage::Whole);
        assert_eq!(cutter.pass(Direction::ToDevice, 30), Passage::Cut(10));
        assert_eq!(cutter.packets(Direction::ToDevice), 2);
    }
}
