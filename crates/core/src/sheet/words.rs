//! The words of a job sheet, which a workshop may change: into its own, or into another language.

use serde::{Deserialize, Serialize};
use wibbet_types::PlainText;

macro_rules! words {
    ($($(#[$doc:meta])* $name:ident = $text:literal;)*) => {
        /// The words of a job sheet.
        #[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
        #[serde(deny_unknown_fields, default)]
        pub struct SheetWords {
            $($(#[$doc])* pub $name: String,)*
        }

        impl Default for SheetWords {
            fn default() -> Self {
                Self { $($name: $text.to_owned(),)* }
            }
        }

        impl SheetWords {
            fn each(&mut self, change: impl Fn(&mut String)) {
                $(change(&mut self.$name);)*
            }
        }
    };
}

words! {
    /// Over all of it.
    title = "Job sheet";
    /// The workshop, as it wants to be named; empty for none.
    workshop = "";
    /// Before the ticket.
    ticket = "Ticket";
    /// Before the technician.
    technician = "Technician";
    /// Before the customer.
    customer = "Customer";
    /// Before the device.
    device = "Device";
    /// Before the serial.
    serial = "Serial";
    /// Before version and build of the system.
    system = "System";
    /// Before the day.
    date = "Date";
    /// Before the order that was carried out.
    order = "Order";
    /// Before the note for the customer.
    note = "Note";
    /// Over what was done.
    done = "What was done";
    /// Over what was put back.
    put_back = "What was put back";
    /// Over what was not done.
    not_done = "What was not done";
    /// Over what stops.
    otherwise = "What works differently now";
    /// Where nothing was found that does.
    otherwise_none = "Nothing was found that would be missed.";
    /// Over settings of the device.
    settings = "Settings of the device";
    /// Of a setting that is not as it was to be.
    not_set = "not set";
    /// Over how things come back.
    back = "How things come back";
    /// Of what was uninstalled.
    back_uninstalled = "What was removed is still on the device as it came from its maker, and can be put back by a technician; its data are gone.";
    /// Of what was uninstalled with its data kept.
    back_kept_data = "What was removed with its data kept can be put back by a technician as it was.";
    /// Of what was disabled, suspended or hidden.
    back_off = "What was switched off is untouched, and can be switched on again.";
    /// Of what is kept as a copy.
    back_copies = "Copies of these apps are kept by the workshop:";
    /// A factory reset.
    back_reset = "A factory reset brings back all that came with the device.";
    /// Over the figures.
    figures = "Before and after";
    /// Packages in use.
    in_use = "apps and parts in use";
    /// Free space.
    free = "free space";
    /// Free memory.
    memory = "free memory";
    /// Over what was seen afterwards.
    seen = "Seen afterwards";
    /// Over what was put back for the link, and debugging.
    closing = "The link to this device";
    /// Of what was done there.
    closed_done = "done";
    /// Of what was not.
    closed_not = "not done";
    /// By a user's number.
    user = "user";
    /// What was uninstalled.
    uninstalled = "removed";
    /// What was uninstalled with its data kept.
    uninstalled_kept_data = "removed, data kept";
    /// What was disabled.
    disabled = "switched off";
    /// What was suspended.
    suspended = "suspended";
    /// What was hidden.
    hidden = "hidden";
    /// What was installed.
    installed = "installed";
    /// What came back.
    returned = "put back";
    /// What was only acted on.
    acted = "cleared or stopped";
    /// What nobody could read back.
    said_yes = "the device says that it was done";
    /// What is not known.
    unsettled = "not known whether it was done";
    /// At the end of each page.
    foot = "Each step was read back from the device.";
    /// For whom it is signed.
    sign_workshop = "For the workshop";
    /// For whom it is signed.
    sign_customer = "Received";
}

/// Words that cannot be used.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("the words of the sheet cannot be read: {0}")]
pub struct BadWords(String);

/// Words out of a file in TOML; what it does not name stays as it is.
///
/// # Errors
/// When it is no such file; the words say where.
pub fn read_words(text: &str) -> Result<SheetWords, BadWords> {
    let words: Result<SheetWords, toml::de::Error> = toml::from_str(text);
    let mut words =
        words.map_err(|error| BadWords(PlainText::new(&error.to_string().replace('\n', " ")).into_string()))?;
    words.each(|text| *text = PlainText::new(text).into_string().replace(['\n', '\t'], " "));
    Ok(words)
}

/// All words as such a file.
pub fn write_words(words: &SheetWords) -> String {
    toml::to_string(words).unwrap_or_default()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn words_are_changed_one_by_one() {
        let words = read_words("title = \"Werkstattzettel\"\nworkshop = \"Pellmoor Ferries\"\n").unwrap();
        assert_eq!((words.title.as_str(), words.ticket.as_str()), ("Werkstattzettel", "Ticket"));
        assert_eq!(read_words(&write_words(&words)), Ok(words));
        assert_eq!(read_words(""), Ok(SheetWords::default()));
        for bad in ["titel = \"x\"", "title = 7", "title ="] {
            assert!(read_words(bad).is_err(), "{bad}");
        }
        assert!(!read_words("title = \"a\\u001b[2J\"").unwrap().title.contains('\u{1b}'));
    }
}
