//! Orders in a session: held against the device, and carried out.

use std::sync::Arc;

use wibbet_core::plan::Job;

use super::actor::Actor;
use super::command::Closing;
use super::event::{OrderOver, SessionEvent};
use super::runs::RunDone;
use crate::device::AskError;
use crate::orders::{OrderError, OrderNews, OrderWanted, carry_out_order, prepare_order};
use crate::run::{Control, RunNews};

impl Actor {
    /// Holds an order against the device; the one before is let go of. False where the link has gone.
    pub(super) async fn hold_order(&mut self, wanted: Option<Arc<OrderWanted>>) -> bool {
        self.let_go_of_order().await;
        let Some(wanted) = wanted else { return true };
        self.tell(SessionEvent::Busy(Some("reading it for the order".into())));
        let prepared = prepare_order(&self.workplace, &self.device, &wanted, &mut |_| {}).await;
        self.tell(SessionEvent::Busy(None));
        match prepared {
            Ok(prepared) => {
                let held = Arc::new(prepared.held(&wanted));
                self.order = Some((wanted, prepared));
                self.tell(SessionEvent::OrderHeld(Ok(held)));
                true
            }
            Err(error) => {
                let lost = matches!(&error, OrderError::Ask(AskError::NoLink(_) | AskError::Lost(_)));
                self.tell(SessionEvent::OrderHeld(Err(error.to_string())));
                !lost
            }
        }
    }

    /// What was taken in for an order that is not carried out goes.
    async fn let_go_of_order(&mut self) {
        if let Some((_, prepared)) = self.order.take()
            && let Err(error) = prepared.drop_files(&self.workplace).await
        {
            self.tell(SessionEvent::Note(error.to_string()));
        }
    }

    /// Carries out the order that was held against the device. False where the link has gone, or was closed.
    pub(super) async fn apply_order(&mut self, job: Option<Job>) -> bool {
        let Some((wanted, prepared)) = self.order.take() else {
            self.tell(SessionEvent::RunEnded(None));
            let trouble = Some("no order was held against the device".to_owned());
            self.tell(SessionEvent::OrderOver(OrderOver { trouble, ..OrderOver::default() }));
            return true;
        };
        self.stop.send_replace(Control::Go);
        let events = Arc::clone(&self.events);
        let news = move |news| match news {
            OrderNews::Run(RunNews::Found(words)) | OrderNews::Said(words) => events(SessionEvent::OrderSaid(words)),
            OrderNews::Run(news) => events(SessionEvent::Run(news)),
        };
        let mut order = (*wanted.order).clone();
        // A session measures the device whatever is asked for.
        order.end.figures = false;
        let (before, watch) = self.measured().await;
        let stop = self.stop.subscribe();
        let ended = carry_out_order(&self.workplace, &self.device, &prepared, &order, job, stop, &news).await;
        if let Err(error) = prepared.drop_files(&self.workplace).await {
            self.tell(SessionEvent::Note(error.to_string()));
        }
        let number = ended.run.as_ref().map(|run| run.number);
        // Why it ended is told with the order.
        let up = self.after_run(RunDone { number, trouble: None, before, watch }).await;
        let whole = ended.is_whole();
        let closed = match up && whole && order.end.close {
            true => Some(self.close(&Closing { switch_off: true, forget: true, ..Closing::default() }).await),
            false => None,
        };
        // What was measured and seen behind it stands there too.
        let run = match number {
            Some(number) => self.workplace.book.with(move |book| book.run(number)).await.ok().flatten().or(ended.run),
            None => None,
        };
        let trouble = ended.trouble.map(|why| why.to_string());
        self.tell(SessionEvent::OrderOver(OrderOver {
            run: run.map(Arc::new),
            settings: ended.settings,
            trouble,
            whole,
            closed,
        }));
        up
    }
}
