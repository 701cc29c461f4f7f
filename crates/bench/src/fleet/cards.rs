//! Which card a sighting belongs to.

use wibbet_core::device::DeviceFacts;

use super::event::{BenchEvent, CardId};
use super::task::{Card, FleetTask};
use crate::around::{Route, Sighting};
use crate::session::Session;

impl FleetTask {
    pub(super) fn new_card(
        &mut self,
        route: Route,
        name: String,
        claimed: String,
        facts: Option<DeviceFacts>,
        shown: bool,
    ) -> CardId {
        self.card_of((route, false), name, claimed, facts, shown)
    }

    /// A card for a way; `offered` where nothing is to be sent by it before somebody asks for it.
    fn card_of(
        &mut self,
        (route, offered): (Route, bool),
        name: String,
        claimed: String,
        facts: Option<DeviceFacts>,
        shown: bool,
    ) -> CardId {
        self.last_card += 1;
        let id = self.last_card;
        let device = self.workplace.device_by(vec![route.clone()]);
        let claimed = facts.as_ref().map_or(claimed, |f| f.serial.as_str().to_owned());
        if let Some(facts) = &facts {
            device.expect(facts.clone());
        }
        let told = self.told.clone();
        let events = move |event| {
            // The bench is ending when nobody listens any more.
            let _ = told.send((id, event));
        };
        let workplace = self.workplace.clone();
        let session = match offered {
            true => Session::offer(device, workplace, events),
            false => Session::start(device, workplace, events),
        };
        self.tried.insert(route, id);
        let card = Card {
            session,
            claimed,
            facts: facts.clone(),
            linked: false,
            taken: false,
            shown,
            withheld: Vec::new(),
            name: name.clone(),
        };
        self.cards.insert(id, card);
        if shown {
            self.tell(BenchEvent::Card { card: id, name, facts: facts.map(Box::new) });
            self.tell_routes(id);
        }
        id
    }

    pub(super) fn tell_routes(&self, card: CardId) {
        if let Some(of) = self.cards.get(&card).filter(|c| c.shown) {
            self.tell(BenchEvent::Routes(card, of.session.device().routes()));
        }
    }

    /// Ways that are there no more.
    pub(super) fn withdraw(&mut self, gone: impl Fn(&Route) -> bool) {
        let routes: Vec<(Route, CardId)> =
            self.tried.iter().filter(|(r, _)| gone(r)).map(|(r, c)| (r.clone(), *c)).collect();
        for (route, card) in routes {
            self.tried.remove(&route);
            let Some(of) = self.cards.get(&card) else { continue };
            of.session.device().remove_route(&route);
            of.session.wake();
            self.tell_routes(card);
        }
    }

    /// Cards without a way to a device that was never met are of no use.
    pub(super) fn drop_orphans(&mut self) {
        let without = |c: &Card| c.facts.is_none() && c.session.device().routes().is_empty();
        let cards: Vec<CardId> = self.cards.iter().filter(|(_, c)| without(c)).map(|(id, _)| *id).collect();
        cards.into_iter().for_each(|card| self.drop_card(card));
    }

    fn drop_card(&mut self, card: CardId) {
        self.tried.retain(|_, c| *c != card);
        if let Some(of) = self.cards.remove(&card)
            && of.shown
        {
            self.tell(BenchEvent::Gone(card));
        }
    }

    /// A device was seen somewhere.
    pub(super) fn on_sighting(&mut self, sighting: &Sighting) {
        let route = &sighting.route;
        if self.tried.contains_key(route) {
            return;
        }
        // A name on the network whose port has changed, or an address that has told its name.
        if let Route::Air { instance, at } = route {
            let same = self.cards.iter().find(|(_, c)| {
                c.session.device().routes().iter().any(|r| match r {
                    Route::Air { instance: known, .. } => known == instance,
                    Route::Address(address) => address == at,
                    _ => false,
                })
            });
            if let Some((card, _)) = same {
                return self.assign_route(*card, route.clone());
            }
        }
        let kind = std::mem::discriminant(route);
        let known: Vec<CardId> = self
            .cards
            .iter()
            .filter(|(_, c)| !sighting.serial.is_empty() && c.claimed == sighting.serial)
            .map(|(id, _)| *id)
            .collect();
        // A device that has no link now and none of this kind is most likely the one that comes back here. If it is
        // not, it says so itself.
        let back = known.iter().find(|card| {
            let of = &self.cards[*card];
            let routes = of.session.device().routes();
            // Its last way may have gone a moment ago, and its link not be known to have.
            (!of.linked || routes.is_empty()) && routes.iter().all(|r| std::mem::discriminant(r) != kind)
        });
        if let Some(card) = back.filter(|_| !sighting.offered) {
            return self.assign_route(*card, route.clone());
        }
        let name = match (sighting.name.as_str(), sighting.serial.as_str()) {
            ("", "") => route.to_string(),
            ("", serial) => serial.to_owned(),
            (name, _) => name.to_owned(),
        };
        self.card_of((route.clone(), sighting.offered), name, sighting.serial.clone(), None, known.is_empty());
    }

    fn assign_route(&mut self, card: CardId, route: Route) {
        if let Some(of) = self.cards.get(&card) {
            of.session.device().add_route(route.clone());
            of.session.wake();
            self.tried.retain(|_, c| *c != card);
            for route in of.session.device().routes() {
                self.tried.insert(route, card);
            }
            self.tell_routes(card);
        }
    }

    /// Whether a card's device is that of another card, which then has one way more.
    pub(super) fn merge(&mut self, card: CardId) -> bool {
        let Some(facts) = self.cards.get(&card).and_then(|c| c.facts.clone()) else { return false };
        let same = self
            .cards
            .iter()
            .find(|(id, c)| **id != card && c.facts.as_ref().is_some_and(|f| f.is_same_device(&facts)))
            .map(|(id, _)| *id);
        let Some(other) = same else { return false };
        let Some(newcomer) = self.cards.remove(&card) else { return false };
        let routes = newcomer.session.device().routes();
        if newcomer.shown {
            self.tell(BenchEvent::Gone(card));
        }
        // Its link ends here; the other card makes its own when it needs one.
        drop(newcomer);
        routes.into_iter().for_each(|route| self.assign_route(other, route));
        true
    }
}
