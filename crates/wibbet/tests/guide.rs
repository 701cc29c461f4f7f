//! Every block of commands in the guide, tried as it stands there: in the order of the guide, on one bench with two simulated devices.

use std::path::Path;
use std::process::Command;

use crate::support::{Sim, home, wibbet};

/// A block of commands, and how its last one ends.
struct Block {
    line: usize,
    ends: i32,
    script: String,
}

fn blocks(guide: &str) -> Vec<Block> {
    let mut all = Vec::new();
    let mut lines = guide.lines().enumerate();
    while let Some((n, line)) = lines.next() {
        let Some(info) = line.strip_prefix("```sh") else { continue };
        let ends = info.trim().strip_prefix("exits ").map_or(0, |code| code.parse().unwrap());
        let script: Vec<&str> = lines.by_ref().map(|(_, line)| line).take_while(|line| *line != "```").collect();
        all.push(Block { line: n + 1, ends, script: script.join("\n") });
    }
    all
}

#[test]
fn every_command_of_the_guide_works() {
    let home = home();
    // Tests look at nothing but their own devices.
    std::fs::write(home.path().join("config.toml"), "[link]\nsearch = false\n").unwrap();
    let work = home.path().join("work");
    std::fs::create_dir(&work).unwrap();
    let (phone, tablet) = (Sim::start(&["--device", "crew-phone"]), Sim::start(&["--device", "desk-tablet"]));
    let guide = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../docs/guide.md");
    let guide = std::fs::read_to_string(guide).unwrap();
    let all = blocks(&guide);
    assert!(all.len() > 12, "{}", all.len());
    let path = format!("{}:{}", wibbet().parent().unwrap().display(), std::env::var("PATH").unwrap_or_default());
    for Block { line, ends, script } in all {
        let script = script
            .replace("DEVICE-ID", &phone.devices[0].0)
            .replace("OTHER-ID", &tablet.devices[0].0)
            .replace("DEVICE", phone.address())
            .replace("OTHER", tablet.address())
            // Nobody is there.
            .replace("192.0.2.7:37123", "127.0.0.1:1");
        let output = Command::new("sh")
            .args(["-e", "-c", &script])
            .current_dir(&work)
            .env("PATH", &path)
            .env("WIBBET_HOME", home.path())
            .env("HOME", home.path())
            .env("XDG_RUNTIME_DIR", home.path())
            .env("TMPDIR", home.path())
            .output()
            .unwrap();
        let told = format!("{}{}", String::from_utf8_lossy(&output.stdout), String::from_utf8_lossy(&output.stderr));
        assert_eq!(output.status.code(), Some(ends), "docs/guide.md, the block at line {line}:\n{script}\n{told}");
    }
    // Pictures and files that it names are there.
    let docs = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../docs");
    for (at, _) in guide.match_indices("](") {
        let target = guide[at + 2..].split(')').next().unwrap().split('#').next().unwrap();
        assert!(target.is_empty() || docs.join(target).exists(), "{target} is not there");
    }
}
