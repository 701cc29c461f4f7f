//! Starting the demo.

use std::path::PathBuf;
use std::sync::Arc;
use std::time::Duration;

use wibbet_sim::Scenario;

use crate::config::Config;
use crate::demo::Demo;
use crate::exit::{Exit, Failure};
use crate::place::Folders;
use crate::system::passing_folder;
use crate::tui::{self, Start};

/// Starts the devices of the demo workshop, perhaps with some more, and the screen on them.
pub(crate) async fn run(answer_within: Option<Duration>, more: Vec<Scenario>) -> Result<Exit, Failure> {
    tui::run(true, prepare(answer_within, more)).await.map_err(Failure::trouble)
}

async fn prepare(answer_within: Option<Duration>, more: Vec<Scenario>) -> anyhow::Result<Start> {
    let (demo, surroundings) = Demo::start(more).await?;
    // A folder of its own in any case: in WIBBET_HOME may be somebody's real logbook. One that is
    // made for the purpose goes when it is dropped.
    let (folder, passing) = match std::env::var_os("WIBBET_HOME").filter(|home| !home.is_empty()) {
        Some(home) => (PathBuf::from(home).join("demo"), None),
        None => {
            let made = passing_folder("wibbet-demo-", &Folders::find()?.data)?;
            (made.path().to_owned(), Some(made))
        }
    };
    // An app to try installing with.
    let apps = folder.join("apps");
    std::fs::create_dir_all(&apps)?;
    std::fs::write(apps.join("pier-keys.apk"), wibbet_sim::SampleApk::keyboard().read(0, usize::MAX))?;
    let config = Config::of_demo();
    let ours = config.clone();
    let answer_within = answer_within.unwrap_or(config.answer_within());
    let opened =
        tokio::task::spawn_blocking(move || Folders::apart(&folder).open(&ours, answer_within, ours.allow_within()));
    let mut workplace = opened.await??;
    workplace.surroundings = Arc::new(surroundings);
    let addresses = demo.addresses();
    Ok(Start { workplace, config, addresses, demo: Some(Arc::new(demo)), apps: Some(apps), on_itself: false, passing })
}
