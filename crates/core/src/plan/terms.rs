//! What goes for a run as a whole.

use std::collections::BTreeMap;

use wibbet_types::{PackageId, PlainText};

use super::on_refusal::OnRefusal;

/// What somebody wants to know of a run besides what it did: all of it may be empty.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Job {
    /// Who does it.
    pub technician: String,
    /// The number that the workshop has for it.
    pub ticket: String,
    /// For whom it is done.
    pub customer: String,
    /// What is to be said to the customer.
    pub note: String,
}

impl Job {
    /// Whether nothing is noted.
    pub fn is_empty(&self) -> bool {
        *self == Self::default()
    }

    /// Its texts, in the order of forms.
    pub fn texts(&self) -> [&str; 4] {
        [&self.technician, &self.ticket, &self.customer, &self.note]
    }

    /// In a line, as far as it is known: `ticket 4711 · Ines · for the harbour office · the note`.
    pub fn words(&self) -> String {
        let ticket = if self.ticket.is_empty() { String::new() } else { format!("ticket {}", self.ticket) };
        let customer = if self.customer.is_empty() { String::new() } else { format!("for {}", self.customer) };
        let all = [&ticket, &self.technician, &customer, &self.note].map(String::as_str);
        all.into_iter().filter(|part| !part.is_empty()).collect::<Vec<_>>().join(" · ")
    }
}

/// What goes for a run as a whole.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Terms {
    /// What is tried where a step is refused.
    pub on_refusal: OnRefusal,
    /// The job that it is a part of; `None` for the one that the device is at.
    pub job: Option<Job>,
    /// The name of the order that it carries out; empty where it is none's.
    pub order: String,
    /// The names that people know its packages by.
    pub names: BTreeMap<PackageId, PlainText>,
    /// What would be missed, in words; `None` where that was not worked out.
    pub missed: Option<Vec<PlainText>>,
}
