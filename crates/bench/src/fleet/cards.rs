//! Which card a sighting belongs to.

use wibbet_core::device::{DeviceFacts, Likeness};

use super::event::{BenchEvent, CardId};
use super::task::{Card, FleetTask};
use crate::around::{Route, Sighting};
use crate::session::Session;

impl FleetTask {
    /// A card for a way. By one of which there is but hearsay nothing is sent before somebody asks for it.
    pub(super) fn new_card(
        &mut self,
        route: Route,
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
        let session = match route {
            Route::Hearsay { .. } => Session::offer(device, workplace, events),
            _ => Session::start(device, workplace, events),
        };
        self.tried.insert(route, id);
        let card = Card {
            session,
            claimed,
            facts: facts.clone(),
            linked: false,
            running: false,
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
        // A name on the network whose port has changed.
        if let Route::Air { instance, .. } = route {
            let same = self.cards.iter().find(|(_, c)| {
                let routes = c.session.device().routes();
                routes.iter().any(|r| matches!(r, Route::Air { instance: known, .. } if known == instance))
            });
            if let Some((card, _)) = same {
                return self.assign_route(*card, route.clone());
            }
        }
        // More is known of the address than that.
        if let Route::Hearsay { at, .. } = route
            && [Route::Address(at.clone()), Route::Remembered(at.clone())].iter().any(|r| self.tried.contains_key(r))
        {
            return;
        }
        let known: Vec<CardId> = self
            .cards
            .iter()
            .filter(|(_, c)| !sighting.serial.is_empty() && c.claimed == sighting.serial)
            .map(|(id, _)| *id)
            .collect();
        // A device that has no link now and none of this kind is most likely the one that comes back here. If it is not,
        // it says so itself. What nobody has chosen is met first, unless there is no other way.
        let back = known.iter().find(|card| {
            let of = &self.cards[*card];
            let routes = of.session.device().routes();
            // Its last way may have gone a moment ago, and its link not be known to have.
            let cable = matches!(route, Route::Cable(_) | Route::Server(_)) && !of.linked;
            routes.is_empty() || (cable && routes.iter().all(|r| r.kind() != route.kind()))
        });
        if let Some(card) = back.filter(|_| !matches!(route, Route::Hearsay { .. })) {
            return self.assign_route(*card, route.clone());
        }
        // Beside a card of the same name it is shown when it turns out to be another device.
        let shown = known.iter().all(|card| self.cards[card].session.device().is_hearsay());
        let name = match (sighting.name.as_str(), sighting.serial.as_str()) {
            ("", "") => route.to_string(),
            ("", serial) => serial.to_owned(),
            (name, _) => name.to_owned(),
        };
        self.new_card(route.clone(), name, sighting.serial.clone(), None, shown);
    }

    pub(super) fn assign_route(&mut self, card: CardId, route: Route) {
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

    /// Joins cards that turn out to be of one device: the older one then has the ways of both. Whether the card is still
    /// there.
    pub(super) fn join(&mut self, card: CardId) -> bool {
        while let Some((older, newer)) = self.pair_of(card) {
            let Some(newcomer) = self.cards.remove(&newer) else { break };
            let routes = newcomer.session.device().routes();
            if newcomer.shown {
                self.tell(BenchEvent::Gone(newer));
            }
            // Its link ends here; the other card makes its own when it needs one.
            drop(newcomer);
            routes.into_iter().for_each(|route| self.assign_route(older, route));
            if newer == card {
                return false;
            }
        }
        true
    }

    /// A card with another one of the same device, the older one first.
    fn pair_of(&self, card: CardId) -> Option<(CardId, CardId)> {
        let of = self.cards.get(&card)?;
        let pair = |other: &CardId| (card.min(*other), card.max(*other));
        // Nobody is taken out of a run.
        let at_work = |other: &CardId| self.cards.get(&pair(other).1).is_some_and(|newer| newer.running);
        let mut others = self.cards.iter().filter(|(id, other)| **id != card && of.is_one_with(other));
        others.find(|(other, _)| !at_work(other)).map(|(other, _)| pair(other))
    }
}

impl Card {
    /// Whether two cards are of one device, by what it has told over the ways of each.
    fn is_one_with(&self, other: &Self) -> bool {
        let (Some(one), Some(two)) = (&self.facts, &other.facts) else { return false };
        let ways = [self, other].into_iter().flat_map(|card| card.session.device().routes());
        let least = ways.map(|route| route.least_likeness()).max().unwrap_or(Likeness::Alike);
        // Two that are linked at the same time and have started at different ones are two.
        let two_starts = self.linked && other.linked && one.started_apart(two);
        one.likeness(two) >= least && !two_starts
    }
}
