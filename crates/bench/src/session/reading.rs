//! What is read beside everything else: metrics and labels, who is engaged in what, and what ties packages then; what is on the
//! screen.

use std::collections::BTreeMap;
use std::sync::Arc;

use wibbet_core::catalog::Catalog;
use wibbet_core::device::DeviceKind;
use wibbet_core::package::{AppNames, Inventory, Metrics};
use wibbet_types::{Locale, UserId};

use super::event::{Evidence, SessionEvent};
use crate::device::{AdbDevice, Device as _};
use crate::logbook::{SharedLogbook, now};
use crate::ops::{
    Awaited, device_languages, fill_in_answers, follow_front, read_labels_for, read_metrics, read_ties,
    remembered_elsewhere,
};

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
    let ((metrics, mut ties), names) = futures_util::future::join(metrics, labels).await;
    let users: Vec<UserId> = inventory.users.iter().map(|user| user.id).collect();
    // Without a link there is nothing to be filled in.
    let _ = fill_in_answers(&*device, &mut ties, &inventory, &names, &users).await;
    let elsewhere = match device.facts() {
        // It is but a memory: nothing hangs on it.
        Some(facts) => remembered_elsewhere(&book, facts).await.unwrap_or_default(),
        None => BTreeMap::new(),
    };
    let mut catalog = Catalog {
        names: Arc::new(names),
        metrics: Arc::new(metrics),
        ties: Arc::new(ties),
        elsewhere: Arc::new(elsewhere),
        sdk: device.capabilities().sdk,
        kind: device.facts().map_or(DeviceKind::Phone, |facts| facts.kind),
        ..Catalog::new(Arc::clone(&inventory))
    };
    let read = now();
    let judged = tokio::task::spawn_blocking(move || {
        catalog.judge(inventory.users.iter().map(|user| user.id));
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
