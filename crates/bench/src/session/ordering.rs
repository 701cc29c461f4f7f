//! Orders in a session: held against the device, and carried out.

use std::sync::Arc;

use super::actor::Actor;
use super::event::SessionEvent;
use crate::device::AskError;
use crate::orders::{OrderError, OrderNews, OrderWanted, carry_out_order, prepare_order};
use crate::run::Control;

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

    /// Carries out the order that was held against the device. False where the link has gone.
    pub(super) async fn apply_order(&mut self) -> bool {
        let Some((wanted, prepared)) = self.order.take() else {
            self.tell(SessionEvent::RunEnded(None));
            self.tell(SessionEvent::OrderEnded(None, Some("no order was held against the device".into())));
            return true;
        };
        self.stop.send_replace(Control::Go);
        let events = Arc::clone(&self.events);
        let news = move |news| match news {
            OrderNews::Run(crate::run::RunNews::Found(words)) | OrderNews::Said(words) => {
                events(SessionEvent::OrderSaid(words));
            }
            OrderNews::Run(news) => events(SessionEvent::Run(news)),
        };
        let mut order = (*wanted.order).clone();
        // Behind a run a session measures the device whatever is asked for.
        order.end.figures = true;
        let stop = self.stop.subscribe();
        let ended = carry_out_order(&self.workplace, &self.device, &prepared, &order, None, stop, &news).await;
        if let Err(error) = prepared.drop_files(&self.workplace).await {
            self.tell(SessionEvent::Note(error.to_string()));
        }
        self.tell_runs().await;
        self.tell(SessionEvent::RunEnded(None));
        let (number, trouble) = (ended.run.as_ref().map(|run| run.number), ended.trouble.map(|why| why.to_string()));
        let whole = trouble.is_none() && ended.run.as_ref().is_some_and(|run| !run.is_unfinished());
        self.tell(SessionEvent::OrderEnded(number, trouble));
        let up = self.read_packages().await;
        if let Some(run) = &ended.run {
            self.learn_from(run);
        }
        if up && whole && order.end.close {
            self.close(true, true).await;
        }
        up
    }
}
