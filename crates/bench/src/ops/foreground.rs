//! What is on the device's screen.

use std::sync::{Mutex, PoisonError};
use std::time::Duration;

use tokio::time::sleep;
use wibbet_core::read::{FrontEvents, front_events_request, front_request, read_front};
use wibbet_types::{PackageId, UserId};

use crate::device::{AdbDevice, AskError, Device as _};

/// How often a device is asked that tells nothing by itself.
const ASK: Duration = Duration::from_millis(700);

/// How often one is asked that has told nothing yet: its log may be kept from the shell.
const DOUBT: Duration = Duration::from_secs(5);

/// An app on the device's screen, and whose.
pub type Front = Option<(PackageId, UserId)>;

/// Tells what is on the device's screen whenever that changes, until the link goes. The device's log of events tells it as it
/// happens, which costs nothing; where that tells nothing, the device is asked again and again.
pub async fn follow_front(device: &AdbDevice, tell: &(dyn Fn(Front) + Send + Sync)) -> AskError {
    let told = Told { former: Mutex::new(None), tell };
    match in_front(device).await {
        Ok(front) => told.take(front),
        Err(error) => return error,
    }
    loop {
        let heard = Mutex::new(false);
        let listening = listen(device, &told, &heard);
        let doubting = async {
            loop {
                sleep(DOUBT).await;
                if *heard.lock().unwrap_or_else(PoisonError::into_inner) {
                    return std::future::pending::<Result<bool, AskError>>().await;
                }
                // Something is in front of which the log has not told.
                match in_front(device).await {
                    Ok(front) if !told.is(&front) => return Ok(false),
                    Ok(_) => {}
                    Err(error) => return Err(error),
                }
            }
        };
        let hears = tokio::select! {
            ended = listening => ended,
            deaf = doubting => deaf,
        };
        match hears {
            // Logs end when nothing happens for long, and on some devices at once.
            Ok(true) => sleep(ASK).await,
            Ok(false) => break,
            Err(error) => return error,
        }
    }
    loop {
        match in_front(device).await {
            Ok(front) => told.take(front),
            Err(error) => return error,
        }
        sleep(ASK).await;
    }
}

/// Listens to the log of events; whether it has told anything.
async fn listen(device: &AdbDevice, told: &Told<'_>, heard: &Mutex<bool>) -> Result<bool, AskError> {
    let mut events = FrontEvents::default();
    let mut hear = |piece: &[u8]| {
        if let Some(front) = events.feed(piece) {
            *heard.lock().unwrap_or_else(PoisonError::into_inner) = true;
            told.take(Some(front));
        }
    };
    match device.ask(&front_events_request(), &mut hear).await {
        // Silence is what it is made of, and only so much of it is taken at once.
        Ok(_) | Err(AskError::Silent(_) | AskError::Broken(_)) => {
            Ok(*heard.lock().unwrap_or_else(PoisonError::into_inner))
        }
        Err(error) => Err(error),
    }
}

/// What was told last.
struct Told<'a> {
    former: Mutex<Option<Front>>,
    tell: &'a (dyn Fn(Front) + Send + Sync),
}

impl Told<'_> {
    fn is(&self, front: &Front) -> bool {
        self.former.lock().unwrap_or_else(PoisonError::into_inner).as_ref() == Some(front)
    }

    fn take(&self, front: Front) {
        if !self.is(&front) {
            *self.former.lock().unwrap_or_else(PoisonError::into_inner) = Some(front.clone());
            (self.tell)(front);
        }
    }
}

/// What is on the device's screen; `None` where it does not tell, or shows no app.
///
/// # Errors
/// When it cannot be asked.
pub async fn in_front(device: &AdbDevice) -> Result<Front, AskError> {
    let said = device.ask(&front_request(&device.capabilities()), &mut |_| {}).await?;
    Ok(read_front(&said.out))
}
