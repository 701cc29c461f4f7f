//! What is read beside everything else: metrics and labels, who is engaged in what, and what ties packages then; what is on the
//! screen.

use std::sync::Arc;

use wibbet_core::package::{AppNames, Inventory, Metrics};
use wibbet_types::{Locale, UserId};

use super::event::{Evidence, SessionEvent};
use crate::device::AdbDevice;
use crate::logbook::{SharedLogbook, now};
use crate::ops::{Awaited, device_languages, follow_front, put_together, read_labels_for, read_metrics, read_ties};

/// Reads metrics and labels side by side, and tells them as they become known.
pub(crate) async fn read_about(
    device: Arc<AdbDevice>,
    book: SharedLogbook,
    inventory: Arc<Inventory>,
    languages: Option<Vec<Locale>>,
    awaited: Awaited,
    tell: Arc<dyn Fn(SessionEvent) + Send + Sync>,
) {
    let metrics = async {
        let mut news = |m: &Metrics| tell(SessionEvent::Metrics(Arc::new(m.clone())));
        // What went with the link is read again with the next one.
        let metrics = read_metrics(&device, &inventory, &mut news).await;
        let users: Vec<UserId> = inventory.users.iter().map(|user| user.id).collect();
        (metrics.unwrap_or_default(), read_ties(&*device, &users).await.unwrap_or_default())
    };
    let labels = async {
        let wanted = match languages {
            Some(languages) => languages,
            None => match device_languages(&device, inventory.usual_user(None)).await {
                Ok(languages) => languages,
                Err(_) => return AppNames::default(),
            },
        };
        let mut names = AppNames { wanted: wanted.clone(), ..AppNames::default() };
        let read = {
            let tell = &tell;
            let mut news = |news: crate::ops::LabelNews| {
                if !news.fresh.is_empty() {
                    names.apps.extend(news.fresh);
                    tell(SessionEvent::Names(Arc::new(names.clone())));
                }
                let (done, all) = (news.done, news.of);
                let words = (done < all).then(|| format!("reading labels, {done} of {all}"));
                tell(SessionEvent::Reading(words));
            };
            read_labels_for(&device, &book, &inventory, &wanted, &awaited, &mut news).await
        };
        tell(SessionEvent::Reading(None));
        match read {
            Ok((read, _)) => {
                tell(SessionEvent::Names(Arc::new(read.clone())));
                read
            }
            Err(_) => names,
        }
    };
    let ((metrics, ties), names) = futures_util::future::join(metrics, labels).await;
    let users: Vec<UserId> = inventory.users.iter().map(|user| user.id).collect();
    // Without a link nothing is worked out; it is with the next one.
    let Ok(mut catalog) = put_together(&device, &book, inventory, names, metrics, ties, &users).await else { return };
    let read = now();
    let judged = tokio::task::spawn_blocking(move || {
        catalog.judge(users);
        Evidence { ties: catalog.ties, judged: catalog.judged, read }
    });
    if let Ok(evidence) = judged.await {
        tell(SessionEvent::Judged(Arc::new(evidence)));
    }
}

/// Tells what is on the device's screen whenever that changes, until the link goes.
pub(crate) async fn follow(device: Arc<AdbDevice>, tell: Arc<dyn Fn(SessionEvent) + Send + Sync>) {
    // That the link has gone is told by the session.
    let _ = follow_front(&device, &|front| tell(SessionEvent::Front(front))).await;
    tell(SessionEvent::Front(None));
}
