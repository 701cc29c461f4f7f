//! The built program, bench devices as a process of their own, and a terminal to drive.
#![allow(dead_code, clippy::unwrap_used, reason = "tests; not every test file uses all of it")]

use std::io::{BufRead as _, BufReader, Write as _};
use std::path::{Path, PathBuf};
use std::process::{Child, ChildStdin, Command, Output, Stdio};
use std::time::{Duration, Instant};

/// The program.
pub(crate) fn wibbet() -> PathBuf {
    env!("CARGO_BIN_EXE_wibbet").into()
}

/// So long may anything take before a test gives up; nothing passes by being fast.
pub(crate) const LONG: Duration = Duration::from_secs(120);

/// Bench devices as `wibbet sim` starts them.
pub(crate) struct Sim {
    child: Child,
    stdin: Option<ChildStdin>,
    /// Serial and address of each.
    pub(crate) devices: Vec<(String, String)>,
    pub(crate) transcript: PathBuf,
    /// Where the devices announce themselves.
    pub(crate) announcements: PathBuf,
    lines: std::io::Lines<BufReader<std::process::ChildStdout>>,
    _folder: tempfile::TempDir,
}

impl Sim {
    pub(crate) fn start(arguments: &[&str]) -> Self {
        let folder = tempfile::tempdir().unwrap();
        let transcript = folder.path().join("transcript");
        let announcements = folder.path().join("announced");
        let mut child = Command::new(wibbet())
            .args(["sim", "--json", "--transcript"])
            .arg(&transcript)
            .arg("--announcements")
            .arg(&announcements)
            .args(arguments)
            .args(if arguments.contains(&"--allow") { &[][..] } else { &["--allow", "0"] })
            .stdin(Stdio::piped())
            .stdout(Stdio::piped())
            .spawn()
            .unwrap();
        let count = arguments.iter().filter(|a| ["--device", "--scenario", "--android"].contains(a)).count();
        let mut lines = BufReader::new(child.stdout.take().unwrap()).lines();
        let devices = lines
            .by_ref()
            .take(if count == 0 { 2 } else { count })
            .map(|line| {
                let object: serde_json::Value = serde_json::from_str(&line.unwrap()).unwrap();
                let text = |name: &str| object[name].as_str().unwrap().to_owned();
                (text("serial"), text("address"))
            })
            .collect();
        let stdin = child.stdin.take();
        Self { child, stdin, devices, transcript, announcements, lines, _folder: folder }
    }

    pub(crate) fn address(&self) -> &str {
        &self.devices[0].1
    }

    /// Types a line, such as `fault mute`.
    pub(crate) fn tell(&mut self, line: &str) {
        writeln!(self.stdin.as_mut().unwrap(), "{line}").unwrap();
    }

    /// The next object that the devices say, such as that a pairing code is shown.
    pub(crate) fn says(&mut self) -> serde_json::Value {
        serde_json::from_str(&self.lines.next().unwrap().unwrap()).unwrap()
    }

    /// Waits until the transcript holds a text.
    pub(crate) fn wait_for(&self, text: &str) {
        wait(&format!("“{text}” in the transcript"), || {
            std::fs::read_to_string(&self.transcript).unwrap().contains(text)
        });
    }
}

impl Drop for Sim {
    fn drop(&mut self) {
        let _ = self.child.kill();
        let _ = self.child.wait();
    }
}

pub(crate) fn wait(what: &str, mut so: impl FnMut() -> bool) {
    let begun = Instant::now();
    while !so() {
        assert!(begun.elapsed() < LONG, "waited in vain for {what}");
        std::thread::sleep(Duration::from_millis(30));
    }
}

/// A home for a test, with a key that is not made anew for each: making one takes its time.
pub(crate) fn home() -> tempfile::TempDir {
    let home = tempfile::tempdir().unwrap();
    std::fs::write(home.path().join("host-key.pem"), include_str!("../../../adb/tests/key.pem")).unwrap();
    home
}

/// Runs the program without a terminal.
pub(crate) fn run(home: &Path, arguments: &[&str]) -> Output {
    command(home, arguments).output().unwrap()
}

/// What was said on output and on errors, and the exit code.
pub(crate) fn said(home: &Path, arguments: &[&str]) -> (String, String, i32) {
    let output = run(home, arguments);
    let text = |bytes: &[u8]| String::from_utf8_lossy(bytes).into_owned();
    (text(&output.stdout), text(&output.stderr), output.status.code().unwrap())
}

pub(crate) fn command(home: &Path, arguments: &[&str]) -> Command {
    let mut command = Command::new(wibbet());
    command
        .args(arguments)
        // Tests look at nothing but their own devices.
        .arg("--no-search")
        .env("WIBBET_HOME", home)
        .env("HOME", home)
        .env("XDG_RUNTIME_DIR", home)
        .env("TMPDIR", home)
        .stdin(Stdio::null());
    command
}

/// Runs the program and reads its object; the exit code.
pub(crate) fn json(home: &Path, arguments: &[&str]) -> (serde_json::Value, i32) {
    let output = run(home, arguments);
    let text = String::from_utf8(output.stdout).unwrap();
    assert_eq!(
        text.lines().count(),
        1,
        "one object on standard output: {text}{}",
        String::from_utf8_lossy(&output.stderr)
    );
    (serde_json::from_str(&text).unwrap(), output.status.code().unwrap())
}

/// The program in a tmux of its own.
pub(crate) struct Screen {
    folder: tempfile::TempDir,
}

impl Screen {
    pub(crate) fn start(home: &Path, arguments: &str, columns: u16, lines: u16) -> Self {
        let screen = Self { folder: tempfile::tempdir().unwrap() };
        let command = format!(
            "env WIBBET_HOME='{}' HOME='{}' COLORTERM=truecolor TZ=UTC '{}' --no-search {arguments}; echo ended with $?; sleep 1000",
            home.display(),
            home.display(),
            wibbet().display()
        );
        let (columns, lines) = (columns.to_string(), lines.to_string());
        screen.tmux(&["-f", "/dev/null", "new-session", "-d", "-s", "s", "-x", &columns, "-y", &lines, &command]);
        screen
    }

    fn tmux(&self, arguments: &[&str]) -> String {
        let output = Command::new("tmux")
            .arg("-u")
            .arg("-S")
            .arg(self.folder.path().join("socket"))
            .args(arguments)
            .env("LC_ALL", "C.UTF-8")
            .env_remove("TMUX")
            .output()
            .expect("tmux is needed for the tests of the screen; ./check installs it");
        assert!(output.status.success(), "tmux {arguments:?}: {}", String::from_utf8_lossy(&output.stderr));
        String::from_utf8_lossy(&output.stdout).into_owned()
    }

    pub(crate) fn text(&self) -> String {
        self.tmux(&["capture-pane", "-p", "-t", "s"])
    }

    /// Sends keys by tmux's names.
    pub(crate) fn keys(&self, keys: &str) {
        for key in keys.split(' ') {
            self.tmux(&["send-keys", "-t", "s", key]);
        }
    }

    /// Types text as it is.
    pub(crate) fn types(&self, text: &str) {
        self.tmux(&["send-keys", "-t", "s", "-l", text]);
    }

    /// Column and line of the last of some texts on the screen, from one, once it stands there.
    fn place_of(&self, text: &str) -> (usize, usize) {
        self.wait_for(text);
        let shown = self.text();
        let last = shown.lines().enumerate().filter(|(_, line)| line.contains(text)).last();
        // It may just have gone again.
        let Some((row, line)) = last else { return self.place_of(text) };
        let column = line[..line.rfind(text).unwrap()].chars().count() + text.chars().count() / 2;
        (column + 1, row + 1)
    }

    /// Taps the last of some texts on the screen so many times, once it has stood there for as long as it takes to be read: what was typed
    /// before moves it.
    fn taps(&self, text: &str, times: usize) {
        let begun = Instant::now();
        let mut place = self.place_of(text);
        loop {
            std::thread::sleep(Duration::from_millis(700));
            let now = self.place_of(text);
            if now == place {
                break;
            }
            assert!(begun.elapsed() < LONG, "“{text}” does not stand still on\n{}", self.text());
            place = now;
        }
        let (column, row) = place;
        self.types(&format!("\x1b[<0;{column};{row}M\x1b[<0;{column};{row}m").repeat(times));
    }

    /// Taps the last of some texts on the screen.
    pub(crate) fn tap(&self, text: &str) {
        self.taps(text, 1);
    }

    /// The same twice in a row, as an unsteady finger does.
    pub(crate) fn tap_twice(&self, text: &str) {
        self.taps(text, 2);
    }

    pub(crate) fn resize(&self, columns: u16, lines: u16) {
        self.tmux(&["resize-window", "-t", "s", "-x", &columns.to_string(), "-y", &lines.to_string()]);
    }

    /// Waits until the screen shows a text.
    pub(crate) fn wait_for(&self, text: &str) {
        self.wait_for_any(&[text]);
    }

    /// Waits until the screen shows one of some texts.
    pub(crate) fn wait_for_any(&self, texts: &[&str]) {
        let begun = Instant::now();
        loop {
            let shown = self.text();
            if texts.iter().any(|text| shown.contains(text)) {
                return;
            }
            assert!(begun.elapsed() < LONG, "waited in vain for “{}” on\n{shown}", texts.join("” or “"));
            std::thread::sleep(Duration::from_millis(30));
        }
    }

    /// The line of the screen that holds a text.
    pub(crate) fn line(&self, text: &str) -> String {
        let all = self.text();
        all.lines().find(|line| line.contains(text)).unwrap_or_else(|| panic!("no “{text}” on\n{all}")).to_owned()
    }
}

impl Drop for Screen {
    fn drop(&mut self) {
        let _ = Command::new("tmux").arg("-S").arg(self.folder.path().join("socket")).arg("kill-server").output();
    }
}
