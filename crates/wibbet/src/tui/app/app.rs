//! All that the screen shows, but for the windows over it.

use std::path::PathBuf;

use crossterm::event::KeyEvent;
use ratatui::layout::Rect;
use wibbet_core::catalog::{Attribute, Column};
use wibbet_types::Address;

use super::device::DeviceModel;
use super::log::Log;
use super::orders::Orders;
use crate::config::Config;
use crate::demo::DemoScreen;
use crate::tui::keys::{Action, View, called};
use crate::tui::widgets::Areas;

/// Something told on the line above the keys.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct Notice {
    pub(crate) text: String,
    pub(crate) alert: bool,
}

/// The screen, but for the windows over it.
#[derive(Debug)]
pub(crate) struct App {
    pub(crate) view: View,
    pub(crate) devices: Vec<DeviceModel>,
    pub(crate) current: usize,
    pub(crate) notice: Option<Notice>,
    pub(crate) details: bool,
    /// The logbook.
    pub(crate) log: Log,
    pub(crate) simulated: bool,
    /// The configuration.
    pub(crate) config: Config,
    /// Devices that offer pairing: the name that each is announced by, and where.
    pub(crate) offers: Vec<(String, Address)>,
    /// An address that was typed: its card is turned to when it comes.
    pub(crate) awaited: Option<Address>,
    /// The text of the QR code that is shown.
    pub(crate) qr: Option<String>,
    /// The window for pairing is open.
    pub(crate) pairing: bool,
    /// In the demo: the devices' own screens.
    pub(crate) device_screens: Vec<DemoScreen>,
    /// The columns of the table, most wanted first.
    pub(crate) columns: Vec<Column>,
    /// Searches that were kept.
    pub(crate) searches: Vec<String>,
    /// Where apps of this computer's were last found.
    pub(crate) apps_folder: PathBuf,
    /// Orders.
    pub(crate) orders: Orders,
    /// The program runs on a device itself.
    pub(crate) on_itself: bool,
    /// The word at the bottom that was chosen by arrow keys, by its key: whatever else comes to stand there, it is that one or none.
    pub(crate) word: Option<KeyEvent>,
    /// Columns and lines.
    pub(crate) size: (u16, u16),
    /// Counted up while something turns.
    pub(crate) tick: u64,
    /// For times as the clock on the wall shows them.
    pub(crate) zone: jiff::tz::TimeZone,
}

impl App {
    pub(crate) fn new(simulated: bool, size: (u16, u16), zone: jiff::tz::TimeZone) -> Self {
        Self {
            view: View::Bench,
            devices: Vec::new(),
            current: 0,
            notice: None,
            // On a narrow screen the table needs the room.
            details: size.0 >= 104,
            log: Log::default(),
            simulated,
            config: Config::default(),
            offers: Vec::new(),
            awaited: None,
            qr: None,
            pairing: false,
            device_screens: Vec::new(),
            columns: Attribute::FIRST.to_vec(),
            searches: Vec::new(),
            apps_folder: PathBuf::from("."),
            orders: Orders::default(),
            on_itself: false,
            word: None,
            size,
            tick: 0,
            zone,
        }
    }

    pub(crate) fn device(&self) -> Option<&DeviceModel> {
        self.devices.get(self.current)
    }

    pub(crate) fn device_mut(&mut self) -> Option<&mut DeviceModel> {
        self.devices.get_mut(self.current)
    }

    pub(crate) fn tell(&mut self, text: impl Into<String>) {
        self.notice = Some(Notice { text: text.into(), alert: false });
    }

    pub(crate) fn alert(&mut self, text: impl Into<String>) {
        self.notice = Some(Notice { text: text.into(), alert: true });
    }

    /// Whether something on the screen turns.
    pub(crate) fn is_moving(&self) -> bool {
        self.devices.iter().any(|d| {
            d.busy.is_some()
                || d.reading.is_some()
                || d.running
                || d.ladder.missing().is_some()
                || (d.ladder.tried().is_some() && !d.closed)
        })
    }

    /// The number of steps by which the cursor of a list moves over one on the screen, at least one.
    pub(crate) fn half_a_screen(&self) -> isize {
        isize::try_from(self.size.1 / 2).unwrap_or(1).max(1)
    }

    /// All columns, those that are chosen first.
    pub(crate) fn all_columns(&self) -> Vec<(Column, bool)> {
        let chosen = self.columns.iter().map(|c| (*c, true));
        chosen.chain(Attribute::columns().filter(|c| !self.columns.contains(c)).map(|c| (c, false))).collect()
    }

    /// How the columns are remembered, by name.
    pub(crate) const COLUMNS: &str = "columns";

    /// How kept searches are remembered, one a line.
    pub(crate) const SEARCHES: &str = "searches";

    /// Searches that are kept, at most.
    pub(crate) const MOST_SEARCHES: usize = 30;

    /// Takes how the table was set up the last time.
    pub(crate) fn take_choices(&mut self, columns: Option<&str>, searches: Option<&str>) {
        let chosen: Vec<Column> = columns.unwrap_or("").split(' ').filter_map(Attribute::column).collect();
        if !chosen.is_empty() {
            self.columns = chosen;
        }
        if let Some(searches) = searches {
            self.searches = searches.lines().take(Self::MOST_SEARCHES).map(str::to_owned).collect();
        }
    }

    /// Whether words are large enough for a finger: on a device itself, and on a screen as narrow as a phone's.
    pub(crate) fn has_large_words(&self) -> bool {
        self.on_itself || self.size.0 < 60
    }

    /// Where the view is on the screen.
    pub(crate) fn body(&self) -> Rect {
        Areas::of(Rect::new(0, 0, self.size.0, self.size.1), self.has_large_words()).body
    }

    /// What a sentence calls an action of the room that is shown.
    pub(crate) fn called_here(&self, action: Action) -> String {
        self.called(self.view, action)
    }

    /// What a sentence calls an action of a room: its key, or its word where fingers do the work.
    pub(crate) fn called(&self, view: View, action: Action) -> String {
        called(view, action, self.has_large_words())
    }

    /// A time as the clock on the wall shows it.
    pub(crate) fn clock(&self, time: wibbet_types::Timestamp) -> String {
        jiff::Timestamp::from_millisecond(time.0)
            .map_or_else(|_| String::new(), |t| t.to_zoned(self.zone.clone()).strftime("%d %b %H:%M").to_string())
    }
}
