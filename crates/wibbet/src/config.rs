//! The configuration: a file that a workshop may write, in which everything can be left out.

use std::path::{Path, PathBuf};
use std::time::Duration;

use serde::{Deserialize, Serialize};
use wibbet_core::sheet::{SheetWords, Without, read_words};
use wibbet_report::Paper;
use wibbet_types::{PlainText, read_text};

use crate::exit::{Exit, Failure};

/// Its name in the folder for configuration.
pub(crate) const FILE: &str = "config.toml";

/// The most bytes that it, or a file of words, may have.
const LONGEST: u64 = 1 << 20;

/// What can be configured.
#[derive(Debug, Clone, PartialEq, Eq, Default, Serialize, Deserialize)]
#[serde(deny_unknown_fields, default)]
pub(crate) struct Config {
    /// Who works here: noted with each run of which nothing else is said.
    pub(crate) technician: String,
    pub(crate) link: LinkConfig,
    pub(crate) sheet: SheetConfig,
    pub(crate) keep: KeepConfig,
    /// The folder that it was read from, which paths in it start from.
    #[serde(skip)]
    folder: PathBuf,
}

/// How devices are met.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(deny_unknown_fields, default)]
pub(crate) struct LinkConfig {
    /// Look at cables and announcements.
    pub(crate) search: bool,
    /// Seconds to wait for a device's answer to a change.
    answer_within: u32,
    /// Seconds to wait for somebody to allow this computer.
    allow_within: u32,
}

impl Default for LinkConfig {
    fn default() -> Self {
        Self { search: true, answer_within: 60, allow_within: 180 }
    }
}

/// Job sheets.
#[derive(Debug, Clone, PartialEq, Eq, Default, Serialize, Deserialize)]
#[serde(deny_unknown_fields, default)]
pub(crate) struct SheetConfig {
    /// The workshop, as it wants to be named.
    workshop: String,
    pub(crate) paper: PaperName,
    /// What is left out.
    without: Vec<LeftOut>,
    /// A file with words in place of Wibbet's own.
    words: String,
    /// Font files for letters that Wibbet's own fonts lack.
    fonts: Vec<PathBuf>,
}

/// How long records are kept.
#[derive(Debug, Clone, PartialEq, Eq, Default, Serialize, Deserialize)]
#[serde(deny_unknown_fields, default)]
pub(crate) struct KeepConfig {
    /// After so many days without a device what is kept of it is due; 0 for never.
    pub(crate) unseen_days: u32,
}

/// What can be left out of a sheet.
#[derive(Debug, Clone, Copy, PartialEq, Eq, clap::ValueEnum, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub(crate) enum LeftOut {
    /// The serial.
    Serial,
    /// What was measured and seen.
    Usage,
}

/// A size of paper.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, clap::ValueEnum, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub(crate) enum PaperName {
    /// 210 by 297 mm.
    #[default]
    A4,
    /// 8.5 by 11 inches.
    Letter,
}

impl PaperName {
    pub(crate) fn paper(self) -> Paper {
        match self {
            Self::A4 => Paper::A4,
            Self::Letter => Paper::Letter,
        }
    }

    /// The other one.
    pub(crate) fn other(self) -> Self {
        match self {
            Self::A4 => Self::Letter,
            Self::Letter => Self::A4,
        }
    }

    pub(crate) fn word(self) -> &'static str {
        match self {
            Self::A4 => "A4",
            Self::Letter => "Letter",
        }
    }
}

/// The file as it is written for somebody to change, each setting with its default.
pub(crate) const TEMPLATE: &str = "\
# The configuration of Wibbet. Everything may be left out; what stands here are the defaults.

# Who works here: noted with each run that names nobody.
technician = \"\"

[link]
# Look at cables and at what devices announce on the network; --no-search says otherwise for once.
search = true
# Seconds to wait for a device's answer to a change; --answer-within says otherwise for once.
answer_within = 60
# Seconds to wait for somebody to allow this computer on a device; --allow-within says otherwise for once.
allow_within = 180

[sheet]
# The workshop, as it wants to be named on job sheets.
workshop = \"\"
# The paper: \"a4\" or \"letter\".
paper = \"a4\"
# What is left out of job sheets: \"serial\", \"usage\".
without = []
# A file with words in place of Wibbet's own, as `wibbet sheet --print-words` prints one; beside this file where no folder is named.
words = \"\"
# Font files for letters that Wibbet's own fonts lack, as those of East Asia; where none are named they are looked for on this computer.
fonts = []

[keep]
# After so many days without a device `wibbet logbook tidy` erases what is kept of it; 0 for never. Nothing is erased by itself.
unseen_days = 0
";

impl Config {
    /// Reads the file of a folder; the defaults where there is none.
    ///
    /// # Errors
    /// What is wrong with it, and where.
    pub(crate) fn read(folder: &Path) -> Result<Self, Failure> {
        let path = folder.join(FILE);
        match read_text(&path, LONGEST) {
            Ok(text) => {
                let read = Self::of(&text).map_err(|why| Failure::new(Exit::Usage, told(&path, &why)))?;
                Ok(Self { folder: folder.to_owned(), ..read })
            }
            Err(why) if why.kind() == std::io::ErrorKind::NotFound => {
                Ok(Self { folder: folder.to_owned(), ..Self::default() })
            }
            Err(why) => Err(Failure::new(Exit::Usage, told(&path, &why.to_string()))),
        }
    }

    /// Of the demo workshop.
    pub(crate) fn of_demo() -> Self {
        let sheet = SheetConfig { workshop: "Pellmoor Ferries".to_owned(), ..SheetConfig::default() };
        Self { sheet, ..Self::default() }
    }

    fn of(text: &str) -> Result<Self, String> {
        let read: Result<Self, toml::de::Error> = toml::from_str(text);
        let mut config = read.map_err(|why| PlainText::new(&why.to_string().replace('\n', " ")).into_string())?;
        for seconds in [config.link.answer_within, config.link.allow_within] {
            if seconds == 0 || seconds > 86_400 {
                return Err(format!("{seconds} seconds are no time to wait: from 1 to 86400"));
            }
        }
        for text in [&mut config.technician, &mut config.sheet.workshop] {
            *text = PlainText::new(text.trim()).into_string();
        }
        Ok(config)
    }

    pub(crate) fn answer_within(&self) -> Duration {
        Duration::from_secs(self.link.answer_within.into())
    }

    pub(crate) fn allow_within(&self) -> Duration {
        Duration::from_secs(self.link.allow_within.into())
    }

    /// The words of job sheets: those of a file that is named, or else of the one that is configured.
    ///
    /// # Errors
    /// Why the file cannot be used.
    pub(crate) fn sheet_words(&self, named: Option<&Path>) -> Result<SheetWords, Failure> {
        let configured = || (!self.sheet.words.is_empty()).then(|| self.folder.join(&self.sheet.words));
        let mut words = match named.map(Path::to_owned).or_else(configured) {
            Some(file) => {
                let bad = |why: String| Failure::new(Exit::Usage, told(&file, &why));
                let text = read_text(&file, LONGEST).map_err(|why| bad(why.to_string()))?;
                read_words(&text).map_err(|why| bad(why.to_string()))?
            }
            None => SheetWords::default(),
        };
        if words.workshop.is_empty() {
            words.workshop.clone_from(&self.sheet.workshop);
        }
        Ok(words)
    }

    /// The font files that are configured.
    pub(crate) fn fonts(&self) -> Vec<PathBuf> {
        self.sheet.fonts.iter().map(|path| self.folder.join(path)).collect()
    }

    /// What is left out of job sheets, and what more was asked for to be.
    pub(crate) fn without(&self, more: &[LeftOut]) -> Without {
        let any = |what| self.sheet.without.contains(&what) || more.contains(&what);
        Without { serial: any(LeftOut::Serial), usage: any(LeftOut::Usage) }
    }

    /// As a file, with what it says.
    pub(crate) fn text(&self) -> String {
        toml::to_string(self).unwrap_or_default()
    }
}

fn told(path: &Path, why: &str) -> String {
    format!("{}: {why}", path.display())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_template_says_the_defaults_and_mistakes_are_told() {
        assert_eq!(Config::of(TEMPLATE), Ok(Config::default()));
        assert_eq!(Config::of(""), Ok(Config::default()));
        assert_eq!(Config::of(&Config::default().text()), Ok(Config::default()));
        let some =
            Config::of("technician = \"Ines \\u001b[2J\"\n[sheet]\nwithout = [\"serial\"]\npaper = \"letter\"\n");
        let some = some.unwrap();
        assert!(some.technician.starts_with("Ines") && !some.technician.contains('\u{1b}'));
        assert_eq!(some.without(&[LeftOut::Usage]), Without { serial: true, usage: true });
        assert_eq!((some.sheet.paper, some.answer_within()), (PaperName::Letter, Duration::from_secs(60)));
        for (bad, told) in [
            ("technican = \"x\"", "line 1, column 1"),
            ("\n[link]\nsearch = 7", "line 3"),
            ("[link]\nanswer_within = 0", "no time to wait"),
            ("[sheet]\npaper = \"a3\"", "a3"),
            ("x", "line 1"),
        ] {
            let why = Config::of(bad).unwrap_err();
            assert!(why.contains(told), "{bad}: {why}");
        }
    }

    #[test]
    fn words_lie_beside_it() {
        let folder = tempfile::tempdir().unwrap();
        let config = |text: &str| {
            std::fs::write(folder.path().join(FILE), text).unwrap();
            Config::read(folder.path())
        };
        assert_eq!(Config::read(folder.path()).unwrap().sheet, SheetConfig::default());
        std::fs::write(folder.path().join("ours.toml"), "title = \"Zettel\"\n").unwrap();
        let ours = config("[sheet]\nwords = \"ours.toml\"\nworkshop = \"Pellmoor Ferries\"\n").unwrap();
        let words = ours.sheet_words(None).unwrap();
        assert_eq!((words.title.as_str(), words.workshop.as_str()), ("Zettel", "Pellmoor Ferries"));
        let gone = config("[sheet]\nwords = \"none.toml\"\n").unwrap();
        assert!(gone.sheet_words(None).unwrap_err().message.contains("none.toml"));
        assert!(config("[sheet").unwrap_err().message.contains(FILE));
    }
}
