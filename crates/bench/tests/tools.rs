//! The commands that read ranges, run by the shell and the tools of this computer on files of bench
//! devices: what comes back is what is in the files, and what the bench devices say.

use std::process::Command;

use crate::support::{patience, workplace};
use wibbet_bench::ops::read_labels;
use wibbet_core::read::{RangeAnswer, RangeJob, RangeReader, RangeTool, RangeTools, probe_command, read_probe};
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
fn ranges_by_a_real_shell() {
    let scenario = Scenario::crew_phone();
    let apk = SampleApk::all_of(&scenario).find(|a| a.launcher && a.size() > 400_000 && a.oddity() == "none").unwrap();
    let folder = tempfile::tempdir().unwrap();
    let device_path = |name: &str, bytes: &[u8]| -> wibbet_types::DevicePath {
        let file = folder.path().join(name);
        std::fs::write(&file, bytes).unwrap();
        file.to_str().unwrap().parse().unwrap()
    };
    let bytes = apk.read(0, usize::MAX);
    let path = device_path("it's an app.apk", &bytes);
    let short = device_path("short.apk", b"tiny");
    let size = bytes.len() as u64;
    let missing: wibbet_types::DevicePath = "/no/such/file.apk".parse().unwrap();
    let several = vec![(path.clone(), size), (missing.clone(), 100), (short.clone(), 4), (path.clone(), size)];
    let jobs = [
        RangeJob::Range(path.clone(), size, 0, 4),
        RangeJob::Range(path.clone(), size, size - 22, 22),
        RangeJob::Tails(several.clone(), 3000),
        RangeJob::Range(missing, 100, 3, 50),
        RangeJob::Heads(several, 5000),
        RangeJob::Range(path.clone(), size, 70_001, 150_000),
        RangeJob::Heads(vec![(path.clone(), size)], 10),
    ];
    for name in shells() {
        let tools = read_probe(&path, size, &shell(&probe_command(&path, size), name)).unwrap();
        assert!(tools.several && tools.packs, "{name}: {tools:?}");
        for tool in RangeTool::ALL {
            let plain = RangeTools { tool, packs: false, several: true };
            let (command, mut reader, taken) = RangeReader::begin(&jobs, plain, 60_000);
            assert_eq!(taken, jobs.len());
            let packed = RangeTools { packs: true, ..plain };
            let whole = shell(&command, name);
            let sent = shell(&RangeReader::begin(&jobs, packed, 60_000).0, name);
            let mut unpacked = Vec::new();
            std::io::Read::read_to_end(&mut flate2::read::GzDecoder::new(&sent[..]), &mut unpacked).unwrap();
            assert!(sent.len() < whole.len() && unpacked == whole, "{} of {}", sent.len(), whole.len());
            let mut came: Vec<RangeAnswer> = vec![Vec::new(); jobs.len()];
            let mut each = |n: usize, answer: RangeAnswer| came[n] = answer;
            reader.feed(&whole, &mut each);
            reader.finish(&mut each);
            let range = |at: u64, len: usize| Some(bytes[at as usize..at as usize + len].to_vec());
            let (ends, heads) = (range(size - 3000, 3000), range(0, 5000));
            let tiny = Some(b"tiny".to_vec());
            let expected = [
                vec![range(0, 4)],
                vec![range(size - 22, 22)],
                vec![ends.clone(), None, tiny.clone(), ends],
                vec![None],
                vec![heads.clone(), None, tiny, heads],
                vec![range(70_001, 150_000)],
                vec![range(0, 10)],
            ];
            assert!(came == expected, "{name} {tool:?}");
        }
    }
    assert_eq!(read_probe(&path, size, b"/system/bin/sh: dd: not found\n"), None);
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

/// What is asked of a package's folder, taking it away and having it there again, by real shells and their programs; mounting, owners
/// and contexts are what this computer has to be spared.
#[test]
fn a_folder_goes_and_comes_back_by_a_real_shell() {
    use wibbet_core::ask::{Output, Request};
    use wibbet_core::package::{CopiedFile, KeptCopy, Placed, PlacedKind};
    use wibbet_core::read::{
        UnknownPlace, folder_request, is_as_kept, is_part_of, place_requests, read_folder, says_placed,
        take_away_request,
    };
    /// The words of a request, with what this computer is spared.
    fn words(request: &Request, replaced: &(String, String)) -> String {
        let spared = "mount() { return 1; }; chown() { :; }; chcon() { :; };";
        format!("{spared} {}", request.command().replace(&replaced.0, &replaced.1))
    }
    let said = |name: &str, words: &str, input: Option<&[u8]>| {
        use std::io::Write as _;
        let mut child = Command::new(name)
            .args(["-c", words])
            .stdin(std::process::Stdio::piped())
            .stdout(std::process::Stdio::piped())
            .stderr(std::process::Stdio::piped())
            .spawn()
            .unwrap();
        if let Some(input) = input {
            child.stdin.as_mut().unwrap().write_all(input).unwrap();
        }
        let output = child.wait_with_output().unwrap();
        let text = |bytes: &[u8]| String::from_utf8_lossy(bytes).into_owned();
        Output { out: text(&output.stdout), err: text(&output.stderr), code: None }
    };
    for name in shells() {
        let place = tempfile::tempdir().unwrap();
        let aside = ("/data/local/tmp".to_owned(), place.path().join("tmp").to_str().unwrap().to_owned());
        std::fs::create_dir_all(&aside.1).unwrap();
        let root = place.path().join("it's an app");
        std::fs::create_dir_all(root.join("lib/arm64")).unwrap();
        std::fs::write(root.join("a b.apk"), b"not much of an app").unwrap();
        std::os::unix::fs::symlink("/system/lib64/libx.so", root.join("lib/arm64/libx.so")).unwrap();
        let folder: wibbet_types::DevicePath = root.to_str().unwrap().parse().unwrap();
        let look = || read_folder(&folder, &said(name, &words(&folder_request(&folder), &aside), None));
        let found = look().unwrap();
        assert_eq!(found.len(), 5, "{name}: {found:#?}");
        let named = |placed: &Placed| match &placed.kind {
            PlacedKind::File(_) => Placed { kind: PlacedKind::File("base.apk".into()), ..placed.clone() },
            _ => placed.clone(),
        };
        let file = CopiedFile { name: "base.apk".into(), size: 18, sha256: "ab".repeat(32), from: None };
        let copy = KeptCopy {
            placed: found.iter().map(|found| named(&found.placed)).collect(),
            files: vec![file],
            ..wibbet_core::testing::copy("com.ostrel.notes", &[])
        };
        assert!(is_as_kept(&found, &copy), "{name}: {found:#?}");
        let took = said(name, &words(&take_away_request(&folder), &aside), None);
        assert!(says_placed(&took) && !root.exists(), "{name}: {took:?}");
        assert_eq!(look(), Err(UnknownPlace::Gone), "{name}");
        // It says so where there is nothing to take away.
        assert!(!says_placed(&said(name, &words(&take_away_request(&folder), &aside), None)));
        for (request, file) in place_requests(&copy) {
            let said = said(name, &words(&request, &aside), file.map(|_| &b"not much of an app and more"[..]));
            assert!(says_placed(&said), "{name}: {} {said:?}", request.command());
        }
        let again = look().unwrap();
        assert!(is_as_kept(&again, &copy) && is_part_of(&again[..2], &copy), "{name}: {again:#?}");
        assert_eq!(std::fs::read(root.join("a b.apk")).unwrap(), b"not much of an app");
        assert_eq!(std::fs::read_dir(&aside.1).unwrap().count(), 0);
    }
}
