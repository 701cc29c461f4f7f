//! Tells the program which commit it is built from, where it is built from one: `wibbet --version` names it.

use std::path::Path;
use std::process::Command;

fn main() {
    println!("cargo:rerun-if-env-changed=WIBBET_COMMIT");
    let version = std::env::var("CARGO_PKG_VERSION").unwrap_or_default();
    // Whoever builds without the repository may say it.
    let commit = std::env::var("WIBBET_COMMIT").ok().or_else(from_repository).filter(|commit| !commit.is_empty());
    let whole = commit.map_or_else(|| version.clone(), |commit| format!("{version} ({commit})"));
    println!("cargo:rustc-env=WIBBET_VERSION={whole}");
}

fn from_repository() -> Option<String> {
    let git = |words: &[&str]| {
        let said = Command::new("git").args(words).output().ok().filter(|said| said.status.success())?;
        Some(String::from_utf8_lossy(&said.stdout).trim().to_owned())
    };
    // Sources that lie in somebody else's repository are not of its commit.
    let root = Path::new(&git(&["rev-parse", "--show-toplevel"])?).join("crates/wibbet").canonicalize().ok()?;
    if Path::new(env!("CARGO_MANIFEST_DIR")).canonicalize().ok()? != root {
        return None;
    }
    // Written to at each commit; a path that is not there would have this run each time.
    let log = git(&["rev-parse", "--git-path", "logs/HEAD"])?;
    if Path::new(&log).exists() {
        println!("cargo:rerun-if-changed={log}");
    }
    git(&["rev-parse", "--short=12", "HEAD"])
}
