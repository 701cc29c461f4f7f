//! Ctrl-C while something is carried out: once ends it after what is on its way, twice ends the program where it is.

use tokio::sync::watch;
use tokio::task::JoinHandle;
use wibbet_bench::run::Control;

use crate::exit::Exit;
use crate::out::tell;
use crate::signals::Interrupts;

/// Listens for Ctrl-C until it is dropped.
#[derive(Debug)]
pub(super) struct Interrupt(JoinHandle<()>);

impl Interrupt {
    /// Begins to listen; what is told when it is pressed is what happens then.
    pub(super) fn listen(told: &'static str) -> (Self, watch::Receiver<Control>) {
        let (stop, stopped) = watch::channel(Control::Go);
        let mut interrupts = Interrupts::listen();
        let task = tokio::spawn(async move {
            interrupts.next().await;
            tell(told);
            // Whoever is at work listens to the sender until it ends.
            stop.send_replace(Control::Stop);
            interrupts.next().await;
            tell("ended; what was on its way is settled at the next start");
            std::process::exit(Exit::Unsettled as i32);
        });
        (Self(task), stopped)
    }
}

impl Drop for Interrupt {
    fn drop(&mut self) {
        self.0.abort();
    }
}
