//! Where configuration and data are, and what is opened there.

use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::time::Duration;

use anyhow::Context as _;
use etcetera::BaseStrategy as _;
use wibbet_adb::{KeyRing, Timeouts};
use wibbet_bench::logbook::SharedLogbook;
use wibbet_bench::policy::RunPolicy;
use wibbet_bench::workplace::Workplace;
use wibbet_logbook::MeetingPlaces;

use crate::config::Config;
use crate::system::user_at_host;

/// The folders of this user.
#[derive(Debug, Clone)]
pub(crate) struct Folders {
    /// For the key.
    pub(crate) configuration: PathBuf,
    /// For the logbook.
    pub(crate) data: PathBuf,
    /// The platform's customary key.
    pub(crate) customary_key: Option<PathBuf>,
    /// For simulated devices: programs that work on real ones are not met.
    apart: bool,
}

impl Folders {
    /// The customary folders of the system, or all in `WIBBET_HOME`.
    pub(crate) fn find() -> anyhow::Result<Self> {
        let base = etcetera::choose_base_strategy()
            .context("your home folder cannot be found; set WIBBET_HOME to a folder of your choice");
        let customary_key = base.as_ref().ok().map(|b| b.home_dir().join(".android/adbkey"));
        if let Some(home) = std::env::var_os("WIBBET_HOME").filter(|h| !h.is_empty()) {
            let home = PathBuf::from(home);
            return Ok(Self { configuration: home.clone(), data: home, customary_key, apart: false });
        }
        let base = base?;
        let (configuration, data) = if cfg!(windows) {
            // What lies in the folders for configuration and data follows a user from computer to computer there: the key and the record
            // are this computer's, and a database does not bear it.
            (base.cache_dir(), base.cache_dir())
        } else {
            (base.config_dir(), base.data_dir())
        };
        Ok(Self { configuration: configuration.join("wibbet"), data: data.join("wibbet"), customary_key, apart: false })
    }

    /// One folder for everything, away from the user's own.
    pub(crate) fn apart(folder: &Path) -> Self {
        Self { configuration: folder.to_owned(), data: folder.to_owned(), customary_key: None, apart: true }
    }

    /// Opens key and logbook, for whoever works here by the configuration. `answer` is how long to wait for an answer to a change, `tap`
    /// for somebody to allow this computer.
    pub(crate) fn open(&self, config: &Config, answer: Duration, tap: Duration) -> anyhow::Result<Workplace> {
        let keys = KeyRing::open(&self.configuration, self.customary_key.as_deref(), &user_at_host())?;
        Ok(Workplace {
            book: SharedLogbook::open(&self.data)?,
            technician: config.technician.as_str().into(),
            meeting: if self.apart { MeetingPlaces::only(&self.data) } else { MeetingPlaces::of_this_user(&home()) },
            keys: Arc::new(keys),
            limits: Timeouts { tap, ..Timeouts::default() },
            surroundings: Arc::default(),
            patience: RunPolicy { change: answer, ..RunPolicy::default() },
        })
    }
}

/// The user's own folder, whatever logbook is used.
fn home() -> PathBuf {
    etcetera::choose_base_strategy().map_or_else(|_| PathBuf::from("."), |base| base.cache_dir().join("wibbet"))
}
