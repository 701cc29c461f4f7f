//! Files on a device: looking at them, fetching them, and with what ranges of them are read.

use wibbet_adb::{Channel, Feature, Service, SyncClient, SyncError, Timeouts};
use wibbet_core::read::{Pace, RangeTools, probe_command, read_probe};
use wibbet_types::DevicePath;

use super::adb::{AdbDevice, asked};
use super::device::AskError;
use crate::around::Route;

/// What every Android lets the shell read.
const FRAMEWORK: &str = "/system/framework/framework-res.apk";

impl AdbDevice {
    /// Looks at many files at once: length and time of each that is there, in their order. The length is modulo 2³².
    pub(crate) async fn stat(&self, paths: &[DevicePath]) -> Result<Vec<Option<(u32, u32)>>, AskError> {
        let link = self.link(&mut |_| {}).await?;
        let looked = async {
            let mut sync = SyncClient::open(&link, self.patience.look).await?;
            sync.stat_many(paths).await
        };
        let entries = looked.await.map_err(|e| asked(&e))?;
        Ok(entries.into_iter().map(|e| (e.mode != 0).then_some((e.size, e.time))).collect())
    }

    /// Fetches a whole file of at most `most` bytes.
    pub(crate) async fn fetch(&self, path: &DevicePath, most: usize) -> Result<Vec<u8>, AskError> {
        let link = self.link(&mut |_| {}).await?;
        let mut bytes = Vec::new();
        let fetched = async {
            let mut sync = SyncClient::open(&link, self.patience.look).await?;
            sync.recv(path, most as u64, &mut |piece: &[u8]| bytes.extend_from_slice(piece)).await
        };
        fetched.await.map_err(|e| asked(&e))?;
        Ok(bytes)
    }

    /// Fetches a whole file of so many bytes, and passes it on as it comes.
    pub(crate) async fn fetch_all(
        &self,
        path: &DevicePath,
        size: u64,
        out: &mut (dyn FnMut(&[u8]) + Send),
    ) -> Result<(), AskError> {
        let link = self.link(&mut |_| {}).await?;
        let fetched = async {
            let mut sync = SyncClient::open(&link, self.patience.look).await?;
            sync.recv(path, size, out).await
        };
        fetched.await.map(|_| ()).map_err(|e| asked(&e))
    }

    /// Sends a file, its bytes from `next` until that gives none; `time` in seconds since 1970.
    pub(crate) async fn send_file(
        &self,
        path: &DevicePath,
        time: u32,
        next: &mut (dyn FnMut() -> std::io::Result<Vec<u8>> + Send),
    ) -> Result<(), AskError> {
        /// Like any file that the shell makes.
        const MODE: u32 = 0o644;
        let link = self.link(&mut |_| {}).await?;
        let sent = async {
            let mut sync = SyncClient::open(&link, self.patience.change).await?;
            sync.send_from(path, (MODE, time), next).await
        };
        sent.await.map_err(|e| asked(&e))
    }

    /// Runs a command whose output is no text.
    pub(crate) async fn raw(&self, command: &str, out: &mut (dyn FnMut(&[u8]) + Send)) -> Result<(), AskError> {
        let link = self.link(&mut |_| {}).await?;
        let service = match link.banner().features.has(Feature::ShellV2) {
            true => Service::ShellV2(command.to_owned()),
            false => Service::Exec(command.to_owned()),
        };
        let limits = Timeouts { idle: self.patience.look, ..self.limits };
        let mut sink = |channel: Channel, data: &[u8]| {
            if channel == Channel::Out {
                out(data);
            }
        };
        link.call(&service, &limits, &mut sink).await.map(|_| ()).map_err(|e| asked(&SyncError::Call(e)))
    }

    /// The longest command that reaches the device whole, in bytes: it opens a stream by its name, and a shell takes
    /// but so much for one word.
    pub(crate) async fn longest_command(&self) -> Result<usize, AskError> {
        const MOST: usize = 60_000;
        let link = self.link(&mut |_| {}).await?;
        Ok(link.longest_name().min(MOST).saturating_sub(64))
    }

    /// How much is read at a time over the way that is in use.
    pub(crate) fn pace(&self, tools: RangeTools) -> Pace {
        match self.route() {
            Some(Route::Cable(_) | Route::Server(_)) => Pace::cable(tools.packs),
            _ => Pace::air(tools.packs),
        }
    }

    /// Finds out with what ranges of files are read, for whoever will read some. Trouble shows when they do.
    pub async fn get_ready_to_read(&self) {
        if let Ok(framework) = FRAMEWORK.parse() {
            let _ = self.range_tools(&framework, 0).await;
        }
    }

    /// With what ranges of files are read, found out once: on the framework's own APK, which every Android lets the shell
    /// read, or on another file where that is not there.
    pub(crate) async fn range_tools(&self, file: &DevicePath, size: u64) -> Result<Option<RangeTools>, AskError> {
        if let Some(tools) = self.known().tools {
            return Ok(tools);
        }
        if let Ok(framework) = FRAMEWORK.parse::<DevicePath>()
            && let Some(Some((length, _))) = self.stat(std::slice::from_ref(&framework)).await?.into_iter().next()
        {
            let tools = self.try_tools(&framework, u64::from(length)).await?;
            self.known().tools = Some(tools);
            return Ok(tools);
        }
        if size == 0 {
            return Ok(None);
        }
        let tools = self.try_tools(file, size).await?;
        // That one file cannot be read says nothing of the others.
        if tools.is_some() {
            self.known().tools = Some(tools);
        }
        Ok(tools)
    }

    async fn try_tools(&self, file: &DevicePath, size: u64) -> Result<Option<RangeTools>, AskError> {
        // What was tried there says a few lines.
        const MOST_SAID: usize = 64 * 1024;
        let mut said = Vec::new();
        self.raw(&probe_command(file, size), &mut |piece| {
            said.extend_from_slice(&piece[..piece.len().min(MOST_SAID.saturating_sub(said.len()))])
        })
        .await?;
        Ok(read_probe(file, size, &said))
    }
}
