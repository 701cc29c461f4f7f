//! The Android of a bench device without its own debugging daemon: its programs answer to whoever calls them, so that a
//! daemon of another make can stand in front of it.

use std::fs::{OpenOptions, Permissions, create_dir_all, remove_file, set_permissions};
use std::io::{Read as _, Seek as _, SeekFrom, Write as _};
use std::os::unix::fs::{OpenOptionsExt as _, PermissionsExt as _};
use std::os::unix::net::{UnixListener, UnixStream};
use std::path::Path;
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};
use std::time::{Duration, UNIX_EPOCH};

use wibbet_adb::{ShellId, encode_shell};

use crate::android::{Effect, State};
use crate::line::Fault;
use crate::scenario::Scenario;

/// What a program said.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Ran {
    /// Its output.
    pub out: Vec<u8>,
    /// Its error output.
    pub err: Vec<u8>,
    /// Its exit code.
    pub code: u8,
    /// It never ends; nothing is to be passed on.
    pub hangs: bool,
    /// What it asked of the device beyond text.
    pub asked: Asked,
}

/// What a program asks of the device, for whoever keeps its daemon to carry out.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub enum Asked {
    /// Nothing.
    #[default]
    Nothing,
    /// To restart.
    Restart,
    /// That USB debugging, with the older network link, goes off.
    UsbDebuggingOff,
    /// That wireless debugging goes off.
    WirelessDebuggingOff,
}

/// Android without a daemon.
#[derive(Debug)]
pub struct SimAndroid {
    state: Mutex<State>,
}

impl SimAndroid {
    /// The Android of a scenario.
    pub fn new(scenario: Scenario, seed: u64) -> Self {
        Self { state: Mutex::new(State::new(scenario, seed)) }
    }

    fn state(&self) -> MutexGuard<'_, State> {
        // The state is consistent wherever its holder could panic.
        self.state.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Runs a program: its name and its words, as the shell took them apart.
    pub fn run(&self, words: &[String]) -> Ran {
        let mut state = self.state();
        state.transcript.push(words.join(" "));
        let (output, effect) = state.command(words);
        let asked = match effect {
            // A program that ends tells no more events than it has told.
            Effect::None | Effect::WirelessDebuggingOn | Effect::Events => Asked::Nothing,
            Effect::Restart { .. } => Asked::Restart,
            Effect::UsbDebuggingOff => Asked::UsbDebuggingOff,
            Effect::WirelessDebuggingOff => Asked::WirelessDebuggingOff,
        };
        Ran {
            out: output.bytes().to_vec(),
            err: output.err.into_bytes(),
            code: output.code,
            hangs: output.hangs,
            asked,
        }
    }

    /// Sets a fault.
    pub fn set_fault(&self, fault: Fault) {
        self.state().set_fault(fault);
    }

    /// The whole device starts anew, with its file system below a folder: which class of what the start needs is off, so that it is not
    /// going to come up; nothing where it will. Its package service is not there yet.
    ///
    /// # Errors
    /// When its files cannot be written.
    pub fn start_anew(&self, root: &Path) -> std::io::Result<Option<u8>> {
        let mut state = self.state();
        state.lose_what_is_unwritten();
        state.start_anew();
        state.looping = state.start_fails();
        state.begin_dying();
        let comes_up = state.looping.is_none();
        state.service_is_up(comes_up);
        let boot = root.join("proc/sys/kernel/random/boot_id");
        let _ = remove_file(&boot);
        std::fs::write(boot, format!("{}\n", state.boot_id))?;
        Ok(state.looping)
    }

    /// Its package service is there, until it dies of what it is without.
    pub fn service_comes_up(&self) {
        self.state().service_is_up(true);
    }

    /// And it has died.
    pub fn start_has_failed(&self) {
        self.state().note_failed_start();
    }

    /// What has been run, a line for each program.
    pub fn transcript(&self) -> Vec<String> {
        self.state().transcript.clone()
    }

    /// A package's state for a user as the device keeps it: installed and the enabled setting. `None` where there is no
    /// such package.
    pub fn holds(&self, id: &str, user: u32) -> Option<(bool, u8)> {
        self.state().holds(id, user)
    }

    /// The ids of all packages.
    pub fn packages(&self) -> Vec<String> {
        self.state().packages.keys().cloned().collect()
    }

    /// The properties that a daemon reads, and the features that one of this version announces.
    pub fn daemon_properties(&self) -> Vec<(String, String)> {
        let state = self.state();
        let s = &state.scenario;
        [
            ("ro.product.name", s.product.clone()),
            ("ro.product.model", s.model.clone()),
            ("ro.product.device", s.product.clone()),
            ("ro.build.version.sdk", s.android.sdk.to_string()),
            ("ro.serialno", s.serial.clone()),
            ("shim.features", s.protocol.features.join(",")),
        ]
        .map(|(name, value)| (name.to_owned(), value))
        .to_vec()
    }

    /// Lays the device's files out below a folder, APKs included if `apks`, with what a daemon has to know of it.
    ///
    /// # Errors
    /// When they cannot be written.
    pub fn write_files(&self, root: &Path, apks: bool) -> std::io::Result<()> {
        let files = self.state().files.clone();
        // The folder may be a copy by links: what was there is replaced, not written over.
        let replace = |path: &str, text: &[u8]| {
            let at = root.join(path);
            let _ = remove_file(&at);
            std::fs::write(at, text)
        };
        create_dir_all(root.join("proc"))?;
        create_dir_all(root.join("phone"))?;
        replace("proc/uptime", b"93784.25 9000.00\n")?;
        create_dir_all(root.join("proc/sys/kernel/random"))?;
        replace("proc/sys/kernel/random/boot_id", format!("{}\n", self.state().boot_id).as_bytes())?;
        let properties: String = self.daemon_properties().iter().map(|(n, v)| format!("{n}={v}\n")).collect();
        replace("phone/props", properties.as_bytes())?;
        for (path, file) in files.iter().filter(|(path, _)| apks || !path.ends_with(".apk")) {
            let at = root.join(path.trim_start_matches('/'));
            if let Some(folder) = at.parent() {
                create_dir_all(folder)?;
            }
            let _ = remove_file(&at);
            let mut made = OpenOptions::new().write(true).create_new(true).mode(0o644).open(&at)?;
            let whole = file.data.read(0, usize::MAX);
            for piece in whole.chunks(64 * 1024) {
                // Most of a generated APK is zeroes, which take no room as a hole.
                match piece.iter().all(|byte| *byte == 0) {
                    true => drop(made.seek(SeekFrom::Current(piece.len() as i64))?),
                    false => made.write_all(piece)?,
                }
            }
            made.set_len(whole.len() as u64)?;
            made.set_permissions(Permissions::from_mode(file.mode & 0o777))?;
            made.set_modified(UNIX_EPOCH + Duration::from_secs(file.time.into()))?;
        }
        Ok(())
    }

    /// Answers programs that hand their words over at a socket, until the process ends: u32 length (little-endian) and
    /// the words, each with a zero byte; back come frames as `shell,v2` has them. `asked` hears what a program asks of
    /// the device.
    ///
    /// # Errors
    /// When the socket cannot be made.
    pub fn serve(self: &Arc<Self>, at: &Path, asked: impl Fn(Asked) + Send + Sync + 'static) -> std::io::Result<()> {
        let _ = remove_file(at);
        let listener = UnixListener::bind(at)?;
        // Whoever the daemon's programs run as may call.
        set_permissions(at, Permissions::from_mode(0o666))?;
        let (android, asked) = (Arc::clone(self), Arc::new(asked));
        std::thread::spawn(move || {
            for socket in listener.incoming().flatten() {
                let (android, asked) = (Arc::clone(&android), Arc::clone(&asked));
                std::thread::spawn(move || {
                    // A program that went away has no use for an answer.
                    let _ = android.answer(socket, &*asked);
                });
            }
        });
        Ok(())
    }

    fn answer(&self, mut socket: UnixStream, asked: &dyn Fn(Asked)) -> std::io::Result<()> {
        let mut length = [0; 4];
        socket.read_exact(&mut length)?;
        let mut words = Vec::new();
        (&mut socket).take(u32::from_le_bytes(length).into()).read_to_end(&mut words)?;
        let words = String::from_utf8_lossy(&words).into_owned();
        let words: Vec<String> = words.trim_end_matches('\0').split('\0').map(str::to_owned).collect();
        let ran = self.run(&words);
        if ran.hangs {
            // Until it is killed.
            socket.read_exact(&mut length)?;
        }
        for (id, bytes) in [(ShellId::Out, &ran.out), (ShellId::Err, &ran.err)] {
            for piece in bytes.chunks(64 * 1024) {
                socket.write_all(&encode_shell(id, piece))?;
            }
        }
        socket.write_all(&encode_shell(ShellId::Exit, &[ran.code]))?;
        asked(ran.asked);
        Ok(())
    }
}
