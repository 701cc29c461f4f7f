//! The commands that read ranges and follow chains, run by the shell and the tools of this computer on files of bench
//! devices: what comes back is what is in the files, and what the bench devices say.

use std::process::Command;

use crate::support::{patience, workplace};
use wibbet_apk::Walk;
use wibbet_bench::ops::read_labels;
use wibbet_core::read::{ChunkHead, RangeJob, RangeReader, RangeTool, RangeTools, probe_command, read_probe};
use wibbet_sim::{SampleApk, Scenario};

/// Runs a command as the device's shell would.
fn shell(command: &str, shell: &str) -> Vec<u8> {
    Command::new(shell).args(["-c", command]).output().unwrap().stdout
}

/// The shells that are here: Android's is `mksh`.
fn shells() -> Vec<&'static str> {
    let there = |name: &&str| Command::new(name).args(["-c", ":"]).status().is_ok_and(|s| s.success());
    ["sh", "mksh", "bash"].into_iter().filter(there).collect()
}

#[test]
fn ranges_and_chains_by_a_real_shell() {
    let scenario = Scenario::crew_phone();
    let apk = SampleApk::all_of(&scenario).find(|a| a.launcher && a.size() > 400_000 && a.oddity() == "none").unwrap();
    let folder = tempfile::tempdir().unwrap();
    let file = folder.path().join("it's an app.apk");
    let bytes = apk.read(0, usize::MAX);
    std::fs::write(&file, &bytes).unwrap();
    let path: wibbet_types::DevicePath = file.to_str().unwrap().parse().unwrap();
    let size = bytes.len() as u64;
    // Where the chain of chunks is: behind the heads of table and package.
    let table = bytes.windows(14).position(|w| w == b"resources.arsc").unwrap();
    let table = table + bytes[table..].windows(4).position(|w| w == [2, 0, 12, 0]).unwrap();
    let long = |at: usize| u32::from_le_bytes(bytes[at..at + 4].try_into().unwrap()) as usize;
    let package = table + 12 + long(table + 16);
    let start = (package + long(package + 276)) as u64;
    let walk = Walk { start, end: (package + long(package + 4)) as u64, type_id: 15 };
    let missing: wibbet_types::DevicePath = "/no/such/file.apk".parse().unwrap();
    let jobs = [
        RangeJob::Range(path.clone(), size, 0, 4),
        RangeJob::Range(path.clone(), size, size - 22, 22),
        RangeJob::Chain(path.clone(), walk.start, walk.end, walk.type_id),
        RangeJob::Range(missing, 100, 3, 50),
        RangeJob::Range(path.clone(), size, 70_001, 150_000),
    ];
    for name in shells() {
        let tools = read_probe(&shell(&probe_command(&path, size), name)).unwrap();
        assert!(tools.walks, "{name}: {tools:?}");
        for tool in RangeTool::ALL {
            let (command, mut reader, taken) = RangeReader::begin(&jobs, RangeTools { tool, walks: true }, 60_000);
            assert_eq!(taken, jobs.len());
            let mut came: Vec<(Option<Vec<u8>>, Vec<ChunkHead>)> = vec![(None, Vec::new()); jobs.len()];
            let mut each = |n: usize, bytes: Option<Vec<u8>>, heads: Vec<ChunkHead>| came[n] = (bytes, heads);
            reader.feed(&shell(&command, name), &mut each);
            reader.finish(&mut each);
            let range = |at: u64, len: usize| Some(bytes[at as usize..at as usize + len].to_vec());
            assert_eq!(came[0].0, range(0, 4), "{name} {tool:?}");
            assert_eq!(came[1].0, range(size - 22, 22), "{name} {tool:?}");
            assert_eq!(came[3].0, None, "a file that is not there does not shift what follows");
            assert_eq!(came[4].0, range(70_001, 150_000), "{name} {tool:?}");
            let followed = walk.follow(&|at, len| {
                let at = usize::try_from(at).unwrap();
                Some(bytes[at..bytes.len().min(at + len)].to_vec())
            });
            assert!(followed.len() > 5, "{}", followed.len());
            let heads: Vec<(u64, &[u8])> = came[2].1.iter().map(|h| (h.at, &h.head[..])).collect();
            let wanted: Vec<(u64, &[u8])> = followed.iter().map(|c| (c.at, &c.head[..])).collect();
            assert_eq!(heads, wanted, "{name} {tool:?}");
        }
    }
    assert_eq!(read_probe(b"/system/bin/sh: dd: not found\n"), None);
}

/// A table of nothing but empty chunks, as long as anybody says, does not keep the device at it without end.
#[test]
fn a_chain_without_end_is_left() {
    let folder = tempfile::tempdir().unwrap();
    let count = folder.path().join("count");
    let chain = RangeJob::Chain("/no/such.apk".parse().unwrap(), 0, u64::MAX / 4, 1);
    let tools = RangeTools { tool: RangeTool::Bytes, walks: true };
    let (command, ..) = RangeReader::begin(&[chain], tools, 60_000);
    // In place of the program that reads a head: it is of another type, and eight bytes long.
    let head = format!("od(){{ echo . >>'{}'; echo 1 8 0 0;}};", count.display());
    shell(&format!("{head}{command}"), "sh");
    let steps = std::fs::read_to_string(&count).unwrap().lines().count();
    assert!((1000..10_000).contains(&steps), "{steps}");
}

#[tokio::test]
async fn a_device_without_tools_gives_its_small_files_whole() {
    let place = tempfile::tempdir().unwrap();
    let workshop = workplace(place.path(), patience(1));
    let sim = crate::support::device(Scenario::crew_phone(), 1).await;
    sim.set_fault("no-tools".parse().unwrap());
    let device = workshop.device(sim.address());
    device.connect(&mut |_| {}).await.unwrap();
    let mut inventory = wibbet_bench::ops::survey(&device, &mut |_| {}).await.unwrap();
    inventory.packages.retain(|id, _| id.as_str().contains("overlay") || id.as_str() == "com.corvane.recorder");
    let (names, cost) =
        read_labels(&device, &workshop.book, &inventory, &["de".parse().unwrap()], &mut |_| {}).await.unwrap();
    let dark = &names.apps[&crate::support::id("com.corvane.overlay.dark")];
    assert_eq!(dark.label.as_ref().unwrap().as_str(), "Dark colours");
    let recorder = &names.apps[&crate::support::id("com.corvane.recorder")];
    assert!(recorder.label.is_none(), "79 megabytes are not fetched for a label");
    assert!(recorder.trouble.as_ref().unwrap().as_str().contains("no tool"), "{recorder:?}");
    assert!(cost.failed >= 1 && cost.read > 3, "{cost:?}");
}
