//! The task of the bench: it watches cables, networks and debugging servers.

use std::collections::{BTreeMap, HashMap, HashSet};
use std::sync::Arc;
use std::time::Duration;

use tokio::sync::mpsc;
use tokio::task::JoinHandle;
use wibbet_adb::{Announced, AnnouncedKind};
use wibbet_core::device::DeviceFacts;
use wibbet_core::link::{Advice, Rung};
use wibbet_types::{Address, PlainText};

use super::event::{BenchCommand, BenchEvent, CardId};
use crate::around::{Route, Sighting, is_here};
use crate::ops::{find_here, listening, pair_by_code, pair_by_qr};
use crate::session::{Session, SessionCommand, SessionEvent};
use crate::workplace::Workplace;

#[derive(Debug)]
pub(crate) struct Card {
    pub(super) session: Session,
    /// The serial that it goes by, as far as one is told.
    pub(super) claimed: String,
    pub(super) facts: Option<DeviceFacts>,
    pub(super) linked: bool,
    /// A run is being carried out.
    pub(super) running: bool,
    /// Another program holds the cable, or this user may not open it.
    pub(super) taken: bool,
    pub(super) shown: bool,
    /// What it has told while it was not shown.
    pub(super) withheld: Vec<SessionEvent>,
    pub(super) name: String,
}

pub(crate) type Events = Arc<dyn Fn(BenchEvent) + Send + Sync>;

pub(crate) struct FleetTask {
    pub(super) workplace: Workplace,
    pub(super) events: Events,
    pub(super) told: mpsc::UnboundedSender<(CardId, SessionEvent)>,
    pub(super) cards: BTreeMap<CardId, Card>,
    pub(super) last_card: CardId,
    /// Which card a route was given to.
    pub(super) tried: HashMap<Route, CardId>,
    pub(super) pairing: Option<JoinHandle<()>>,
    /// The search for this very device.
    pub(super) finding: Option<JoinHandle<()>>,
    /// The ways that are announced now.
    pub(super) announced: HashSet<Route>,
}

/// So many announced ways are looked at.
const MOST_ANNOUNCED: usize = 32;

/// How often another program's debugging server is asked what it has.
const ASK_SERVER: Duration = Duration::from_secs(2);

impl FleetTask {
    pub(super) fn tell(&self, event: BenchEvent) {
        (self.events)(event);
    }

    pub(super) async fn live(
        mut self,
        addresses: Vec<Address>,
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
            self.add_address(address);
        }
        self.add_remembered().await;
        loop {
            tokio::select! {
                command = inbox.recv() => match command {
                    Some(command) => self.handle_command(command),
                    None => return,
                },
                Some((card, event)) = heard.recv() => self.on_session_event(card, event),
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
        for device in known.into_iter().filter(|d| !d.forgotten) {
            if let Ok(address) = device.address.parse() {
                self.add_remembered_address(address, device.facts);
            }
        }
    }

    /// An address that a person has named, with what is known of the device there.
    fn add_address(&mut self, address: Address) {
        let route = Route::Address(address.clone());
        if self.tried.contains_key(&route) {
            return;
        }
        // It was but announced or remembered so far.
        let known = |r: &&Route| matches!(r, Route::Remembered(_) | Route::Hearsay { .. }) && r.at() == Some(&address);
        let other = self.tried.keys().find(known).cloned();
        match other.and_then(|other| self.tried.remove_entry(&other)) {
            Some((_, card)) => {
                // What else an announcement names nobody has chosen: anybody can put an address of their own beside this one.
                self.assign_route(card, route);
                if let Some(of) = self.cards.get(&card) {
                    of.session.send(SessionCommand::Survey);
                }
            }
            None => drop(self.new_card(route, address.to_string(), String::new(), None, true)),
        }
    }

    /// An address where a device was met another day.
    fn add_remembered_address(&mut self, address: Address, facts: DeviceFacts) {
        match self.tried.get(&Route::Address(address.clone())).and_then(|card| self.cards.get_mut(card)) {
            // It is named as well: what is known of it is of use all the same.
            Some(of) => of.claimed = facts.serial.as_str().to_owned(),
            None => {
                let name = facts.name();
                self.new_card(Route::Remembered(address), name, String::new(), Some(facts), true);
            }
        }
    }

    fn look_at_cables(&mut self) {
        let seen: Vec<Sighting> = self.workplace.surroundings.on_cables().iter().map(Sighting::on_cable).collect();
        let now: Vec<Route> = seen.iter().map(|s| s.route.clone()).collect();
        self.withdraw(|route| matches!(route, Route::Cable(_)) && !now.contains(route));
        seen.iter().for_each(|sighting| self.on_sighting(sighting));
        self.drop_orphans();
    }

    fn look_at_air(&mut self) {
        let announced = self.workplace.surroundings.on_air();
        let offers = |a: &Announced| {
            let at = Address::try_from(*a.addresses.first()?).ok()?;
            (a.kind == AnnouncedKind::Pairing).then(|| (a.instance.clone(), at))
        };
        self.tell(BenchEvent::Offers(announced.iter().filter_map(offers).collect()));
        // Whoever is on the network can announce as much as they like.
        let seen: Vec<Sighting> = announced.iter().filter_map(Sighting::on_air).take(MOST_ANNOUNCED).collect();
        // An address that is known from elsewhere stays, announced or not.
        let own = |route: &Route| self.tried.contains_key(route) && !self.announced.contains(route);
        let now: HashSet<Route> = seen.iter().map(|s| s.route.clone()).filter(|route| !own(route)).collect();
        let before = std::mem::replace(&mut self.announced, now.clone());
        self.withdraw(|route| before.contains(route) && !now.contains(route));
        seen.iter().for_each(|sighting| self.on_sighting(sighting));
        self.drop_orphans();
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
                self.on_sighting(&sighting);
            }
        }
        self.drop_orphans();
    }

    fn on_session_event(&mut self, card: CardId, event: SessionEvent) {
        let Some(of) = self.cards.get_mut(&card) else { return };
        match &event {
            SessionEvent::Ladder(ladder) => {
                let missing = ladder.trouble.as_ref().map(|t| t.advice);
                let was_linked = std::mem::replace(&mut of.linked, ladder.holds(Rung::Shell));
                let unlinked = was_linked && !of.linked;
                let not_to_be_had = [Advice::EndTheOther, Advice::Permission];
                of.taken = not_to_be_had.iter().any(|advice| missing == Some(*advice));
                // It may be back already by another way, and could not be told from another device as long as this link
                // was thought to be up.
                if unlinked && !self.join(card) {
                    return;
                }
                // That what is announced is not what it says is something to see.
                if missing == Some(Advice::NotProven) {
                    self.show(card);
                }
            }
            SessionEvent::Facts(facts, _) => {
                of.claimed = facts.serial.as_str().to_owned();
                of.facts = Some((**facts).clone());
                // It has just been asked over its link.
                of.linked = true;
                if !self.join(card) {
                    return;
                }
                self.show(card);
            }
            SessionEvent::Run(_) => of.running = true,
            SessionEvent::RunEnded(_) => {
                of.running = false;
                // What could not be joined meanwhile can be now; this is told to whoever has watched it first.
                if of.shown {
                    self.tell(BenchEvent::Session(card, event));
                    self.join(card);
                    return;
                }
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

    fn show(&mut self, card: CardId) {
        let Some(of) = self.cards.get_mut(&card).filter(|c| !c.shown) else { return };
        of.shown = true;
        let (name, facts) = (of.name.clone(), of.facts.clone().map(Box::new));
        let withheld = std::mem::take(&mut of.withheld);
        self.tell(BenchEvent::Card { card, name, facts });
        self.tell_routes(card);
        withheld.into_iter().for_each(|event| self.tell(BenchEvent::Session(card, event)));
    }

    fn handle_command(&mut self, command: BenchCommand) {
        match command {
            BenchCommand::Session(card, command) => {
                if let Some(of) = self.cards.get(&card) {
                    of.session.send(command);
                }
            }
            BenchCommand::LookAt(card, ids) => {
                if let Some(of) = self.cards.get(&card) {
                    of.session.look_at(ids);
                }
            }
            BenchCommand::Control(card, control) => {
                if let Some(of) = self.cards.get(&card) {
                    of.session.control(control);
                }
            }
            BenchCommand::Add(address) => self.add_address(address),
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
            BenchCommand::AddHere(at) => {
                let route = Route::Air { instance: HERE.to_owned(), at, others: Vec::new() };
                // Somebody has just paired with it, or wants to know: it need not wait for its next try.
                if let Some(of) = self.tried.get(&route).and_then(|card| self.cards.get(card)) {
                    of.session.waker().notify_one();
                }
                self.on_sighting(&Sighting { serial: String::new(), name: PlainText::new("This device"), route });
            }
            BenchCommand::FindHere => {
                let network = Arc::clone(&self.workplace.surroundings.network);
                let routes = self.cards.values().flat_map(|c| c.session.device().routes());
                let likely: Vec<u16> =
                    routes.filter_map(|r| r.at().filter(|at| is_here(at)).map(wibbet_types::Address::port)).collect();
                let events = Arc::clone(&self.events);
                // The latest search counts; a former one that is still going on finds the same.
                let search = tokio::spawn(async move {
                    let listed = tokio::task::spawn_blocking(listening).await.ok().flatten();
                    events(BenchEvent::Here(find_here(&*network, &likely, listed).await));
                });
                if let Some(former) = self.finding.replace(search) {
                    former.abort();
                }
            }
            BenchCommand::EndPairing => drop(self.pairing.take().map(|task| task.abort())),
        }
    }
}

/// The name of the very device that the program runs on, in place of an announced one: none can be it, since those have no such letter.
const HERE: &str = "·here";

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
