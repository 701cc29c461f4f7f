//! What is read of a device beside its packages' states, while somebody looks at it: measures, labels, what is on its
//! screen; and what is opened there.

use std::sync::Arc;
use std::time::Duration;

use wibbet_core::ask::{Call, Request};
use wibbet_core::package::{AppNames, Inventory, Measures};
use wibbet_core::read::{MeasureReader, front_request, measure_requests, read_front};
use wibbet_types::{Locale, PackageId, UserId, shell_quoted};

use crate::adb_device::AdbDevice;
use crate::book::Book;
use crate::device::{AskError, Device as _};
use crate::labels::{device_languages, read_labels};
use crate::session::SessionEvent;

/// How often the device is asked what is on its screen.
const FOLLOW: Duration = Duration::from_millis(700);

/// Reads sizes, memory and use. What the device does not tell is in the gaps.
///
/// # Errors
/// When the link goes.
pub async fn read_measures(device: &AdbDevice, news: &mut (dyn FnMut(&Measures) + Send)) -> Result<Measures, AskError> {
    let mut all = Measures::default();
    for request in measure_requests() {
        let mut reader = MeasureReader::default();
        match device.ask(&request, &mut |piece| reader.feed(piece)).await {
            Ok(_) => {}
            Err(error @ (AskError::NoLink(_) | AskError::Lost(_))) => return Err(error),
            // A service that says nothing for too long: what it was asked for is a gap.
            Err(_) => {}
        }
        all.merge(reader.finish());
        news(&all);
    }
    Ok(all)
}

/// Reads measures and labels side by side, and tells them as they become known.
pub(crate) async fn read_about(
    device: Arc<AdbDevice>,
    book: Book,
    inventory: Arc<Inventory>,
    languages: Option<Vec<Locale>>,
    tell: Arc<dyn Fn(SessionEvent) + Send + Sync>,
) {
    let measures = async {
        let mut news = |m: &Measures| tell(SessionEvent::Measures(Arc::new(m.clone())));
        // What went with the link is read again with the next one.
        let _ = read_measures(&device, &mut news).await;
    };
    let labels = async {
        let wanted = match languages {
            Some(languages) => languages,
            None => match device_languages(&device).await {
                Ok(languages) => languages,
                Err(_) => return,
            },
        };
        let mut names = AppNames { wanted: wanted.clone(), ..AppNames::default() };
        let read = {
            let tell = &tell;
            let mut news = |news: crate::labels::LabelNews| {
                if !news.fresh.is_empty() {
                    names.apps.extend(news.fresh);
                    tell(SessionEvent::Names(Arc::new(names.clone())));
                }
                let (done, all) = news.done;
                let words = (done < all).then(|| format!("reading labels, {done} of {all}"));
                tell(SessionEvent::Reading(words));
            };
            read_labels(&device, &book, &inventory, &wanted, &mut news).await
        };
        tell(SessionEvent::Reading(None));
        if let Ok((names, _)) = read {
            tell(SessionEvent::Names(Arc::new(names)));
        }
    };
    futures_util::future::join(measures, labels).await;
}

/// Tells what is on the device's screen whenever that changes, until the link goes.
pub(crate) async fn follow(device: Arc<AdbDevice>, tell: Arc<dyn Fn(SessionEvent) + Send + Sync>) {
    let mut former: Option<Option<(PackageId, UserId)>> = None;
    while let Ok(front) = in_front(&device).await {
        if former.as_ref() != Some(&front) {
            tell(SessionEvent::Front(front.clone()));
            former = Some(front);
        }
        tokio::time::sleep(FOLLOW).await;
    }
    tell(SessionEvent::Front(None));
}

/// What is on the device's screen; `None` where it does not tell, or shows no app.
///
/// # Errors
/// When it cannot be asked.
pub async fn in_front(device: &AdbDevice) -> Result<Option<(PackageId, UserId)>, AskError> {
    let said = device.ask(&front_request(), &mut |_| {}).await?;
    Ok(read_front(&said.out))
}

/// Something to be opened on the device.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Opening {
    /// The package.
    pub id: PackageId,
    /// For whom.
    pub user: UserId,
    /// The class of its screen; `None` for the page of the settings that tells about the app.
    pub class: Option<String>,
}

impl Opening {
    /// What is asked.
    pub fn request(&self) -> Request {
        let (id, user) = (&self.id, self.user);
        let command = match &self.class {
            Some(class) => format!(
                "am start --user {user} -a android.intent.action.MAIN -c android.intent.category.LAUNCHER -n {}",
                shell_quoted(&format!("{id}/{class}"))
            ),
            None => format!("am start --user {user} -a android.settings.APPLICATION_DETAILS_SETTINGS -d package:{id}"),
        };
        Request::shell(command)
    }

    /// The words that go to the device.
    pub fn words(&self) -> String {
        match self.request().call {
            Call::Shell(command) => command,
            Call::Package(words) => words.join(" "),
        }
    }
}

/// Opens something on the device. What the device says, where that is no success.
///
/// # Errors
/// When it cannot be asked.
pub async fn open_on_device(device: &AdbDevice, opening: &Opening) -> Result<Option<String>, AskError> {
    let said = device.ask(&opening.request(), &mut |_| {}).await?;
    let text = said.text();
    let trouble = text.lines().find(|l| l.contains("Error") || l.contains("Exception") || l.contains("not found"));
    Ok(trouble.map(|line| wibbet_types::PlainText::new(line.trim()).into_string()))
}
