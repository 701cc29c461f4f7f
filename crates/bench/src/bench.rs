//! All devices at hand: what turns up on cables, on the network and at addresses, which of it is one and the same
//! device, and a session for each.
//!
//! A device that turns up in a new place is met there first. Only what it then says of itself decides whether it is one
//! that has a card already: then the card gets one way more. Until that is known, a newcomer that goes by the serial of
//! a card is not shown.

use std::collections::{BTreeMap, HashMap};
use std::sync::Arc;
use std::time::Duration;

use tokio::sync::mpsc;
use tokio::task::JoinHandle;
use wibbet_adb::{Announced, AnnouncedKind};
use wibbet_core::device::DeviceFacts;
use wibbet_core::link::{Advice, Rung};

use crate::pairing::{PairNews, pair_by_code, pair_by_qr};
use crate::route::{Route, Sighting};
use crate::session::{Session, SessionCommand, SessionEvent, Workplace};

/// What names a card. It stays as long as the program runs.
pub type CardId = usize;

/// What the bench can be told.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum BenchCommand {
    /// Something for the session of a card.
    Session(CardId, SessionCommand),
    /// Stop the run of a card after the steps that are on their way.
    StopRun(CardId),
    /// A device at an address, `HOST:PORT`.
    Add(String),
    /// Pair with the device that offers it at an address and shows a code.
    Pair {
        /// `HOST:PORT`.
        at: String,
        /// The code.
        code: String,
    },
    /// Show a QR code and wait for a device to scan it; ends with [`BenchCommand::EndPairing`].
    ShowQr,
    /// Nobody waits for a device to scan the code any more.
    EndPairing,
}

/// What the bench tells.
#[derive(Debug, Clone)]
pub enum BenchEvent {
    /// There is one card more.
    Card {
        /// Its id.
        card: CardId,
        /// What it goes by until the device has been asked: a name, a serial or an address.
        name: String,
        /// What is known of it from before.
        facts: Option<Box<DeviceFacts>>,
    },
    /// A card is gone: the device left before it was linked, or turned out to be that of another card.
    Gone(CardId),
    /// The ways to a card's device, best first.
    Routes(CardId, Vec<Route>),
    /// What a card's session tells.
    Session(CardId, SessionEvent),
    /// Devices that offer pairing now: the name that each is announced by, and where.
    Offers(Vec<(String, String)>),
    /// How a pairing goes on.
    Pairing(PairNews),
    /// A pairing has come to its end: the name of the device's connect service, or the words that say why not, and
    /// whether only the code was wrong.
    Paired(Result<String, (String, bool)>),
    /// Something worth telling that is not in the other events.
    Note(String),
}

/// All devices at hand. Ends when this is dropped.
#[derive(Debug)]
pub struct Bench {
    commands: mpsc::UnboundedSender<BenchCommand>,
    task: JoinHandle<()>,
}

impl Bench {
    /// Begins to watch. Devices at the given addresses have cards from the start, and so have those that were met
    /// before and not forgotten. `events` is called from the bench's tasks and must not block.
    pub fn start(
        workplace: Workplace,
        addresses: Vec<String>,
        events: impl Fn(BenchEvent) + Send + Sync + 'static,
    ) -> Self {
        let (commands, inbox) = mpsc::unbounded_channel();
        let (told, heard) = mpsc::unbounded_channel();
        let floor = Floor {
            workplace,
            events: Arc::new(events),
            told,
            cards: BTreeMap::new(),
            last_card: 0,
            tried: HashMap::new(),
            pairing: None,
        };
        let task = tokio::spawn(floor.live(addresses, inbox, heard));
        Self { commands, task }
    }

    /// Tells the bench to do something.
    pub fn send(&self, command: BenchCommand) {
        // A bench whose task has ended is being dropped.
        let _ = self.commands.send(command);
    }
}

impl Drop for Bench {
    fn drop(&mut self) {
        self.task.abort();
    }
}

#[derive(Debug)]
struct Card {
    session: Session,
    /// The serial that it goes by, as far as one is told.
    claimed: String,
    facts: Option<DeviceFacts>,
    linked: bool,
    /// Another program holds the cable, or this user may not open it.
    taken: bool,
    shown: bool,
    /// What it has told while it was not shown.
    withheld: Vec<SessionEvent>,
    name: String,
}

type Events = Arc<dyn Fn(BenchEvent) + Send + Sync>;

struct Floor {
    workplace: Workplace,
    events: Events,
    told: mpsc::UnboundedSender<(CardId, SessionEvent)>,
    cards: BTreeMap<CardId, Card>,
    last_card: CardId,
    /// Which card a route was given to.
    tried: HashMap<Route, CardId>,
    pairing: Option<JoinHandle<()>>,
}

/// How often another program's debugging server is asked what it has.
const ASK_SERVER: Duration = Duration::from_secs(2);

impl Floor {
    fn tell(&self, event: BenchEvent) {
        (self.events)(event);
    }

    async fn live(
        mut self,
        addresses: Vec<String>,
        mut inbox: mpsc::UnboundedReceiver<BenchCommand>,
        mut heard: mpsc::UnboundedReceiver<(CardId, SessionEvent)>,
    ) {
        self.workplace.surroundings.gaps.iter().for_each(|gap| self.tell(BenchEvent::Note(gap.clone())));
        let mut bus = self.workplace.surroundings.bus.as_ref().map(|bus| bus.seen());
        let mut air = self.workplace.surroundings.announced.clone();
        let mut server = tokio::time::interval(ASK_SERVER);
        server.set_missed_tick_behavior(tokio::time::MissedTickBehavior::Delay);
        self.look_at_cables();
        self.look_at_air();
        for address in addresses {
            self.add_address(address, None);
        }
        self.add_remembered().await;
        loop {
            tokio::select! {
                command = inbox.recv() => match command {
                    Some(command) => self.obey(command),
                    None => return,
                },
                Some((card, event)) = heard.recv() => self.hear(card, event),
                changed = changed(&mut bus) => match changed {
                    Ok(()) => self.look_at_cables(),
                    Err(_) => bus = None,
                },
                changed = changed(&mut air) => match changed {
                    Ok(()) => self.look_at_air(),
                    Err(_) => air = None,
                },
                _ = server.tick(), if self.workplace.surroundings.server.is_some() => self.look_at_server().await,
            }
        }
    }

    async fn add_remembered(&mut self) {
        let known = match self.workplace.book.with(|book| book.devices()).await {
            Ok(known) => known,
            Err(error) => return self.tell(BenchEvent::Note(error.to_string())),
        };
        // Those on a cable are seen when they are there.
        for device in known.into_iter().filter(|d| !d.forgotten && d.address.contains(':')) {
            self.add_address(device.address.clone(), Some(device.facts));
        }
    }

    fn add_address(&mut self, address: String, facts: Option<DeviceFacts>) {
        let route = Route::Address(address.clone());
        match self.tried.get(&route) {
            Some(card) => {
                // Named twice, or remembered as well: what is known of it is of use all the same.
                let card = *card;
                if let (Some(facts), Some(of)) = (facts, self.cards.get_mut(&card)) {
                    of.claimed = facts.serial.as_str().to_owned();
                }
            }
            None => drop(self.new_card(route, address, String::new(), facts, true)),
        }
    }

    fn new_card(
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
        let session = Session::start(device, self.workplace.clone(), events);
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

    fn tell_routes(&self, card: CardId) {
        if let Some(of) = self.cards.get(&card).filter(|c| c.shown) {
            self.tell(BenchEvent::Routes(card, of.session.device().routes()));
        }
    }

    fn look_at_cables(&mut self) {
        let seen: Vec<Sighting> = self.workplace.surroundings.on_cables().iter().map(Sighting::on_cable).collect();
        let now: Vec<Route> = seen.iter().map(|s| s.route.clone()).collect();
        self.withdraw(|route| matches!(route, Route::Cable(_)) && !now.contains(route));
        seen.iter().for_each(|sighting| self.sight(sighting));
        self.clear_away();
    }

    fn look_at_air(&mut self) {
        let announced = self.workplace.surroundings.on_air();
        let offers = |a: &Announced| {
            let at = a.addresses.first()?.to_string();
            (a.kind == AnnouncedKind::Pairing).then(|| (a.instance.clone(), at))
        };
        self.tell(BenchEvent::Offers(announced.iter().filter_map(offers).collect()));
        let seen: Vec<Sighting> = announced.iter().filter_map(Sighting::on_air).collect();
        let now: Vec<Route> = seen.iter().map(|s| s.route.clone()).collect();
        self.withdraw(|route| matches!(route, Route::Air { .. }) && !now.contains(route));
        seen.iter().for_each(|sighting| self.sight(sighting));
        self.clear_away();
    }

    async fn look_at_server(&mut self) {
        let seen = self.workplace.surroundings.at_server().await;
        let now: Vec<Route> = seen.iter().map(|s| s.route.clone()).collect();
        self.withdraw(|route| matches!(route, Route::Server(_)) && !now.contains(route));
        for sighting in seen {
            // It is of use only where the cable is not to be had.
            let own = self.workplace.surroundings.on_cables().iter().any(|s| s.serial.as_str() == sighting.serial);
            let taken = self.cards.values().any(|c| c.taken && c.claimed == sighting.serial);
            if !own || taken {
                self.sight(&sighting);
            }
        }
        self.clear_away();
    }

    /// Ways that are there no more.
    fn withdraw(&mut self, gone: impl Fn(&Route) -> bool) {
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
    fn clear_away(&mut self) {
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
    fn sight(&mut self, sighting: &Sighting) {
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
                return self.give(*card, route.clone());
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
        if let Some(card) = back {
            return self.give(*card, route.clone());
        }
        let name = match (sighting.name.as_str(), sighting.serial.as_str()) {
            ("", "") => route.to_string(),
            ("", serial) => serial.to_owned(),
            (name, _) => name.to_owned(),
        };
        self.new_card(route.clone(), name, sighting.serial.clone(), None, known.is_empty());
    }

    fn give(&mut self, card: CardId, route: Route) {
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

    fn hear(&mut self, card: CardId, event: SessionEvent) {
        let Some(of) = self.cards.get_mut(&card) else { return };
        match &event {
            SessionEvent::Ladder(ladder) => {
                let missing = ladder.trouble.as_ref().map(|t| t.name);
                of.linked = ladder.holds(Rung::Shell);
                let not_to_be_had = [Advice::EndTheOther, Advice::Permission];
                of.taken = not_to_be_had.iter().any(|advice| missing == Some(advice.name()));
            }
            SessionEvent::Facts(facts, _) => {
                of.claimed = facts.serial.as_str().to_owned();
                let first = of.facts.is_none();
                of.facts = Some((**facts).clone());
                if first && self.merge(card) {
                    return;
                }
                self.show(card);
            }
            SessionEvent::OtherDevice(route) => {
                // Another device is there: this card loses the way, and that one gets a card of its own.
                let route = route.clone();
                of.session.device().remove_route(&route);
                let serial = of.claimed.clone();
                self.tried.remove(&route);
                self.tell_routes(card);
                self.new_card(route.clone(), route.to_string(), serial, None, true);
                return;
            }
            _ => {}
        }
        let Some(of) = self.cards.get_mut(&card) else { return };
        if of.shown {
            self.tell(BenchEvent::Session(card, event));
        } else if of.withheld.len() < MOST_WITHHELD {
            of.withheld.push(event);
        }
    }

    /// Whether a card's device is that of another card, which then has one way more.
    fn merge(&mut self, card: CardId) -> bool {
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
        routes.into_iter().for_each(|route| self.give(other, route));
        true
    }

    fn show(&mut self, card: CardId) {
        let Some(of) = self.cards.get_mut(&card).filter(|c| !c.shown) else { return };
        of.shown = true;
        let (name, facts) = (of.name.clone(), of.facts.clone().map(Box::new));
        let withheld = std::mem::take(&mut of.withheld);
        self.tell(BenchEvent::Card { card, name, facts });
        self.tell_routes(card);
        withheld.into_iter().for_each(|event| self.tell(BenchEvent::Session(card, event)));
    }

    fn obey(&mut self, command: BenchCommand) {
        match command {
            BenchCommand::Session(card, command) => {
                if let Some(of) = self.cards.get(&card) {
                    of.session.send(command);
                }
            }
            BenchCommand::StopRun(card) => {
                if let Some(of) = self.cards.get(&card) {
                    of.session.stop_run();
                }
            }
            BenchCommand::Add(address) => self.add_address(address, None),
            BenchCommand::Pair { at, code } => {
                let workplace = self.workplace.clone();
                self.start_pairing(async move |_| pair_by_code(&workplace, &at, &code).await);
            }
            BenchCommand::ShowQr => {
                let workplace = self.workplace.clone();
                self.start_pairing(async move |events: Events| {
                    let mut news = |news| events(BenchEvent::Pairing(news));
                    pair_by_qr(&workplace, Duration::from_secs(3600), &mut news).await
                });
            }
            BenchCommand::EndPairing => drop(self.pairing.take().map(|task| task.abort())),
        }
    }

    fn start_pairing<F>(&mut self, pairing: impl FnOnce(Events) -> F + Send + 'static)
    where
        F: Future<Output = Result<wibbet_adb::pairing::Paired, wibbet_adb::pairing::PairError>> + Send + 'static,
    {
        if let Some(former) = self.pairing.take() {
            former.abort();
        }
        let events = Arc::clone(&self.events);
        // Cards without a link need not wait for their next try once a device is paired.
        let waiting: Vec<_> = self.cards.values().filter(|c| !c.linked).map(|c| c.session.waker()).collect();
        let pairing = pairing(Arc::clone(&events));
        self.pairing = Some(tokio::spawn(async move {
            match pairing.await {
                Ok(paired) => {
                    events(BenchEvent::Paired(Ok(paired.name)));
                    waiting.iter().for_each(|waker| waker.notify_one());
                }
                Err(error) => {
                    let only_the_code = matches!(error, wibbet_adb::pairing::PairError::WrongCode { .. });
                    events(BenchEvent::Paired(Err((error.to_string(), only_the_code))));
                }
            }
        }));
    }
}

/// So many events of a card that is not shown are kept for when it is.
const MOST_WITHHELD: usize = 1000;

/// Waits for a change; for ever where nothing is looked at.
async fn changed<T>(
    of: &mut Option<tokio::sync::watch::Receiver<T>>,
) -> Result<(), tokio::sync::watch::error::RecvError> {
    match of {
        Some(of) => of.changed().await,
        None => std::future::pending().await,
    }
}
