//! The logbook as tasks share it, and the clock.

use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex, PoisonError};
use std::time::{SystemTime, UNIX_EPOCH};

use tokio::sync::{OwnedSemaphorePermit, Semaphore};
use wibbet_logbook::{Logbook, LogbookError};
use wibbet_types::Timestamp;

/// The APKs of so many devices are read at the same time: each takes some tens of megabytes meanwhile, and the cores are busy with as few.
const READ_AT_ONCE: usize = 2;

/// The moment.
pub fn now() -> Timestamp {
    let since = SystemTime::now().duration_since(UNIX_EPOCH).unwrap_or_default();
    Timestamp(i64::try_from(since.as_millis()).unwrap_or(i64::MAX))
}

/// A logbook shared by the sessions of a program. Writes reach the disk before they return, and a
/// disk may take its time, so they are done on threads that may block.
#[derive(Debug, Clone)]
pub struct SharedLogbook {
    inner: Arc<Mutex<Logbook>>,
    folder: Arc<PathBuf>,
    /// Whose APKs are read at the moment.
    reading: Arc<Semaphore>,
    /// Done in place, so that no thread decides what comes first.
    inline: bool,
}

impl SharedLogbook {
    /// Opens the logbook of a folder.
    pub fn open(folder: &Path) -> Result<Self, LogbookError> {
        Ok(Self {
            inner: Arc::new(Mutex::new(Logbook::open(folder)?)),
            folder: Arc::new(folder.to_owned()),
            reading: Arc::new(Semaphore::new(READ_AT_ONCE)),
            inline: false,
        })
    }

    /// A turn at reading APKs, if there is one to be had now; it ends when it is dropped.
    pub(crate) fn reads_at_once(&self) -> Option<OwnedSemaphorePermit> {
        Arc::clone(&self.reading).try_acquire_owned().ok()
    }

    /// A turn at reading APKs, once there is one. It is the logbook that gives turns, since what others have read in the meantime stands there.
    pub(crate) async fn turn_to_read(&self) -> Option<OwnedSemaphorePermit> {
        Arc::clone(&self.reading).acquire_owned().await.ok()
    }

    /// Works where it is called, in place of threads of its own: for tests whose time is stopped, and which have to take
    /// the same course each time.
    pub fn working_inline(self) -> Self {
        Self { inline: true, ..self }
    }

    /// The folder, in which the claims are too.
    pub fn folder(&self) -> &Path {
        &self.folder
    }

    /// Does something with the logbook.
    pub async fn with<T, F>(&self, work: F) -> Result<T, LogbookError>
    where
        T: Send + 'static,
        F: FnOnce(&mut Logbook) -> Result<T, LogbookError> + Send + 'static,
    {
        let inner = Arc::clone(&self.inner);
        let work = |book: &mut Logbook| {
            let done = work(book);
            #[cfg(debug_assertions)]
            end_where_a_test_wants_it();
            done
        };
        if self.inline {
            return work(&mut inner.lock().unwrap_or_else(PoisonError::into_inner));
        }
        let path = self.folder.join(Logbook::FILE);
        let done = tokio::task::spawn_blocking(move || {
            // SQLite's transactions keep the record whole if a holder panicked.
            work(&mut inner.lock().unwrap_or_else(PoisonError::into_inner))
        });
        done.await.unwrap_or_else(|stopped| Err(LogbookError::Other { path, why: stopped.to_string() }))
    }
}

/// Ends the program at once behind its so-manieth use of the logbook, as a kill there would. Not in what is released.
#[cfg(debug_assertions)]
fn end_where_a_test_wants_it() {
    use std::sync::atomic::{AtomicU32, Ordering};
    static USES: AtomicU32 = AtomicU32::new(0);
    let at = std::env::var("WIBBET_END_AT_USE").ok().and_then(|n| n.parse().ok());
    if at == Some(USES.fetch_add(1, Ordering::Relaxed) + 1) {
        std::process::abort();
    }
}
