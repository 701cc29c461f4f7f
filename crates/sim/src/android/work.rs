//! How long the package service is at work for what it is asked.

use std::time::Duration;

use super::state::State;
use super::words::split_commands;

impl State {
    /// How long the package service is at work for a command line.
    pub(crate) fn work_of(&self, line: &str) -> Duration {
        let words = split_commands(line);
        words.iter().map(|words| self.work_for(words)).sum()
    }

    fn work_for(&self, words: &[String]) -> Duration {
        let words: Vec<&str> = words.iter().map(String::as_str).filter(|w| *w != "-t" && *w != "60").collect();
        match words.as_slice() {
            ["dumpsys", "package", "--checkin", _, ..] if words.get(3) != Some(&"packages") => self.traffic.work.look,
            ["dumpsys", "package", "packages" | "--checkin", ..] => self.traffic.work.look * 6,
            ["dumpsys", "package", id] if id.contains('.') => self.traffic.work.look * 3,
            ["dumpsys", "package", ..] => self.traffic.work.look,
            ["cmd", "package", rest @ ..] | ["pm", rest @ ..] => self.work_at(rest),
            _ => Duration::ZERO,
        }
    }

    /// How long the package service is at work for one of its own commands.
    pub(crate) fn work_at(&self, words: &[&str]) -> Duration {
        match words.first().copied() {
            None | Some("help") => Duration::ZERO,
            Some("list" | "path" | "has-feature" | "query-activities" | "query-services" | "query-receivers") => {
                self.traffic.work.look
            }
            Some(_) => self.traffic.work.change,
        }
    }
}
