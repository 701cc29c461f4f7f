//! What a session needs of a device, over whatever link.

use std::future::Future;
use std::sync::Arc;

use thiserror::Error;
use wibbet_core::android::Capabilities;
use wibbet_core::ask::{Output, Request};
use wibbet_core::read::ShortForm;
use wibbet_types::{DevicePath, PackageId};

/// Why a request got no answer.
#[derive(Debug, Clone, PartialEq, Eq, Error)]
pub enum AskError {
    /// There is no link. The request was not sent.
    #[error("{0}")]
    NoLink(wibbet_adb::LinkError),
    /// What answers now is another device. The request was not sent.
    #[error("{0}")]
    OtherDevice(String),
    /// What answers says that it is the device, and does not show it. The request was not sent.
    #[error("{0}")]
    NotProven(String),
    /// It has restarted, and another program has begun to work on it since. The request was not sent.
    #[error("{0}")]
    Taken(String),
    /// It answers, but is not in Android: recovery and the like. Nothing was asked.
    #[error("{0}")]
    NotAndroid(String),
    /// The link went while the request was on its way.
    #[error("{0}")]
    Lost(wibbet_adb::LinkError),
    /// The link is up, but no answer came in time.
    #[error("{0}")]
    Silent(String),
    /// The answer was not whole.
    #[error("{0}")]
    Broken(String),
    /// The device does not offer what the request needs. The request was not acted on.
    #[error("{0}")]
    Refused(String),
}

/// A device that can be asked, over whatever link.
pub trait Device: Send + Sync {
    /// What it can do, as known now.
    fn capabilities(&self) -> Capabilities;

    /// What tells its present start from every other one; `None` where that is not known.
    fn start(&self) -> Option<String> {
        None
    }

    /// The app on it in which this very program runs, where it is the device on which it does.
    fn ground(&self) -> Option<PackageId> {
        None
    }

    /// How far the short form of the dump of its packages can be relied on; `None` where that is not known, or it cannot.
    fn short_form(&self) -> Option<Arc<ShortForm>> {
        None
    }

    /// Takes in how far it can.
    fn rely_on_short_form(&self, _: Option<ShortForm>) {}

    /// How long files are that the shell may read, in bytes, in their order.
    fn lengths(&self, _: &[DevicePath]) -> impl Future<Output = Result<Vec<Option<u64>>, AskError>> + Send {
        async { Err(AskError::Refused("the device gives no files".into())) }
    }

    /// Fetches a file of so many bytes from a place in it on, and passes it to `out` as it comes.
    fn fetch_from(
        &self,
        _path: &DevicePath,
        _from: u64,
        _size: u64,
        _out: &mut (dyn FnMut(&[u8]) + Send),
    ) -> impl Future<Output = Result<(), AskError>> + Send {
        async { Err(AskError::Refused("the device gives no files".into())) }
    }

    /// Sends a request whose command reads what `next` gives until that gives nothing.
    fn ask_with(
        &self,
        _request: &Request,
        _next: &mut (dyn FnMut() -> std::io::Result<Vec<u8>> + Send),
    ) -> impl Future<Output = Result<Output, AskError>> + Send {
        async { Err(AskError::Refused("the device takes no input".into())) }
    }

    /// Sends a request and passes the output to `out` as it comes (errors, where they are apart, go
    /// to the answer only). The answer holds the output too unless it is long. A link that has gone
    /// is made again before anything is sent.
    fn ask(
        &self,
        request: &Request,
        out: &mut (dyn FnMut(&[u8]) + Send),
    ) -> impl Future<Output = Result<Output, AskError>> + Send;
}
