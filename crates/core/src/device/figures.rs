//! A device in figures: what is compared before a run and after it.

use std::collections::BTreeMap;
use std::fmt;
use std::str::FromStr;

use wibbet_types::{BadId, UserId, bytes_words};

/// A device in figures, as measured at one moment. What was not told is not there.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Figures {
    /// How many packages are in use, by user.
    pub in_use: BTreeMap<UserId, u32>,
    /// Bytes that are free for apps and their data.
    pub free: Option<u64>,
    /// Bytes of memory that programs can have without others being ended.
    pub memory: Option<u64>,
}

/// What one of the figures is of.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum FigureOf {
    /// Packages in use by a user.
    InUse(UserId),
    /// Free space, in bytes.
    Free,
    /// Memory that programs can have, in bytes.
    Memory,
}

impl FigureOf {
    /// A number of it, as people read it.
    pub fn words(self, count: u64) -> String {
        match self {
            Self::InUse(_) => count.to_string(),
            Self::Free | Self::Memory => bytes_words(count),
        }
    }
}

impl Figures {
    /// What was measured both times: what it is of, before, and after.
    pub fn beside(&self, after: &Self) -> Vec<(FigureOf, u64, u64)> {
        let in_use = after.in_use.iter().filter_map(|(user, now)| {
            let then = self.in_use.get(user)?;
            Some((FigureOf::InUse(*user), u64::from(*then), u64::from(*now)))
        });
        let bytes = [(FigureOf::Free, self.free, after.free), (FigureOf::Memory, self.memory, after.memory)];
        let bytes = bytes.into_iter().filter_map(|(of, then, now)| Some((of, then?, now?)));
        in_use.chain(bytes).collect()
    }

    /// What has changed from these to later ones, in words: "packages in use 227 → 222, free 62.7 GB → 62.8 GB".
    pub fn words_to(&self, after: &Self) -> String {
        let mut parts = Vec::new();
        // What has not changed, or by less than is written, says nothing.
        for (user, now) in &after.in_use {
            if let Some(before) = self.in_use.get(user).filter(|before| *before != now) {
                let whose = if after.in_use.len() > 1 { format!(" (user {user})") } else { String::new() };
                parts.push(format!("packages in use{whose} {before} → {now}"));
            }
        }
        let mut bytes = |what: &str, before: Option<u64>, now: Option<u64>| {
            if let [Some(before), Some(now)] = [before, now].map(|bytes| bytes.map(bytes_words))
                && before != now
            {
                parts.push(format!("{what} {before} → {now}"));
            }
        };
        bytes("free", self.free, after.free);
        bytes("memory to be had", self.memory, after.memory);
        parts.join(", ")
    }
}

/// The record's form: `in-use 0 227;in-use 10 152;free 62720000000;memory 1900000000`.
impl fmt::Display for Figures {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let users = self.in_use.iter().map(|(user, count)| format!("in-use {user} {count}"));
        let free = self.free.map(|bytes| format!("free {bytes}"));
        let memory = self.memory.map(|bytes| format!("memory {bytes}"));
        f.write_str(&users.chain(free).chain(memory).collect::<Vec<_>>().join(";"))
    }
}

impl FromStr for Figures {
    type Err = BadId;

    fn from_str(s: &str) -> Result<Self, BadId> {
        let bad =
            || BadId { kind: "figures", given: s.chars().take(80).collect(), rule: "each has a name and a number" };
        let mut figures = Self::default();
        for part in s.split(';').filter(|part| !part.is_empty()) {
            let words: Vec<&str> = part.split(' ').collect();
            match words.as_slice() {
                ["in-use", user, count] => {
                    figures.in_use.insert(user.parse()?, count.parse().map_err(|_| bad())?);
                }
                ["free", bytes] => figures.free = Some(bytes.parse().map_err(|_| bad())?),
                ["memory", bytes] => figures.memory = Some(bytes.parse().map_err(|_| bad())?),
                _ => return Err(bad()),
            }
        }
        Ok(figures)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn figures_are_written_down_and_compared() {
        let figures = |count, free| Figures {
            in_use: [(UserId::OWNER, count), (UserId::new(10), 152)].into(),
            free: Some(free),
            memory: None,
        };
        let (before, after) = (figures(227, 62_000_000_000), figures(222, 65_000_000_000));
        assert_eq!(before.to_string(), "in-use 0 227;in-use 10 152;free 62000000000");
        assert_eq!(before.to_string().parse(), Ok(before.clone()));
        assert_eq!("".parse(), Ok(Figures::default()));
        for bad in ["x", "free", "free x", "in-use 0", "in-use x 1", "memory -1"] {
            assert!(bad.parse::<Figures>().is_err(), "{bad}");
        }
        let words = before.words_to(&after);
        assert_eq!(words, "packages in use (user 0) 227 → 222, free 62 GB → 65 GB");
        assert_eq!(before.words_to(&Figures::default()), "");
        assert_eq!(before.words_to(&before), "");
    }
}
