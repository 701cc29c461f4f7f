//! All that the screen shows.

use wibbet_core::catalog::Column;
use wibbet_core::run::Run;

use super::device::DeviceModel;
use super::forms::{PairForm, Window};
use crate::demo::DemoScreen;
use crate::tui::keys::View;

/// Something told on the line above the keys.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct Note {
    pub(crate) text: String,
    pub(crate) alert: bool,
}

/// The screen.
#[derive(Debug)]
pub(crate) struct Model {
    pub(crate) view: View,
    pub(crate) devices: Vec<DeviceModel>,
    pub(crate) current: usize,
    pub(crate) popup: Option<Window>,
    pub(crate) note: Option<Note>,
    pub(crate) details: bool,
    pub(crate) log: Vec<Run>,
    pub(crate) log_at: usize,
    pub(crate) simulated: bool,
    /// Devices that offer pairing: the name that each is announced by, and where.
    pub(crate) offers: Vec<(String, String)>,
    /// An address that was typed: its card is turned to when it comes.
    pub(crate) awaited: Option<String>,
    /// The text of the QR code that is shown.
    pub(crate) qr: Option<String>,
    /// In the demo: the devices' own screens.
    pub(crate) own_screens: Vec<DemoScreen>,
    /// The columns of the table, most wanted first.
    pub(crate) columns: Vec<Column>,
    /// Searches that were kept.
    pub(crate) searches: Vec<String>,
    /// Columns and lines.
    pub(crate) size: (u16, u16),
    /// Counted up while something turns.
    pub(crate) tick: u64,
    /// For times as the clock on the wall shows them.
    pub(crate) zone: jiff::tz::TimeZone,
}

impl Model {
    pub(crate) fn new(simulated: bool, size: (u16, u16), zone: jiff::tz::TimeZone) -> Self {
        Self {
            view: View::Bench,
            devices: Vec::new(),
            current: 0,
            popup: None,
            note: None,
            // On a narrow screen the table needs the room.
            details: size.0 >= 104,
            log: Vec::new(),
            log_at: 0,
            simulated,
            offers: Vec::new(),
            awaited: None,
            qr: None,
            own_screens: Vec::new(),
            columns: Column::FIRST.to_vec(),
            searches: Vec::new(),
            size,
            tick: 0,
            zone,
        }
    }

    /// The window for pairing, also while the devices' own screens are shown over it.
    pub(crate) fn pair_form(&mut self) -> Option<&mut PairForm> {
        match &mut self.popup {
            Some(Window::Pair(form) | Window::OwnScreens { behind: Some(form), .. }) => Some(form),
            _ => None,
        }
    }

    pub(crate) fn device(&self) -> Option<&DeviceModel> {
        self.devices.get(self.current)
    }

    pub(crate) fn device_mut(&mut self) -> Option<&mut DeviceModel> {
        self.devices.get_mut(self.current)
    }

    pub(crate) fn tell(&mut self, text: impl Into<String>) {
        self.note = Some(Note { text: text.into(), alert: false });
    }

    pub(crate) fn alert(&mut self, text: impl Into<String>) {
        self.note = Some(Note { text: text.into(), alert: true });
    }

    /// Whether something on the screen turns.
    pub(crate) fn is_moving(&self) -> bool {
        let popup = matches!(self.popup, Some(Window::Pair(_) | Window::Close(_) | Window::OwnScreens { .. }));
        popup
            || self.devices.iter().any(|d| {
                d.busy.is_some()
                    || d.reading.is_some()
                    || d.running
                    || d.ladder.missing().is_some()
                    || (d.ladder.tried().is_some() && !d.closed)
            })
    }

    /// A time as the clock on the wall shows it.
    pub(crate) fn clock(&self, time: wibbet_types::Timestamp) -> String {
        jiff::Timestamp::from_millisecond(time.0)
            .map_or_else(|_| String::new(), |t| t.to_zoned(self.zone.clone()).strftime("%d %b %H:%M").to_string())
    }
}
