//! The fault finder.

use serde::Serialize;
use wibbet_core::diagnosis::{Cause, FaultFinder, Next};
use wibbet_core::run::Run;

#[derive(Serialize)]
struct JsonSuspect<'a> {
    id: &'a str,
    user: u32,
    /// How likely it is by now that it has a part in it, from 0 to 1.
    share: f64,
}

#[derive(Serialize)]
struct JsonRound<'a> {
    back: Vec<&'a str>,
    seen: &'static str,
}

/// One use of the fault finder.
#[derive(Serialize)]
pub(crate) struct FaultSearch<'a> {
    finder: i64,
    serial: &'a str,
    what: &'a str,
    /// `answered ACTION` or `fails ID`, where that is looked at by itself.
    check: Option<String>,
    suspects: Vec<JsonSuspect<'a>>,
    rounds: Vec<JsonRound<'a>>,
    /// `try`, `found` or `blurred`; null where it was ended.
    next: Option<&'static str>,
    /// The packages that are back in the round that is tried.
    back: Vec<&'a str>,
    /// `one`, `together`, `either` or `none`, once it is found.
    cause: Option<&'static str>,
    /// Those that it is due to, or likeliest to be.
    culprits: Vec<&'a str>,
    /// The runs that were carried out for it now.
    runs: Vec<i64>,
}

impl<'a> FaultSearch<'a> {
    pub(crate) fn of(search: &'a FaultFinder, next: Option<&Next>, runs: &[Run]) -> Self {
        let name = |place: usize| search.suspects.get(place).map(|one| one.id.as_str());
        let those = |back: &[bool]| {
            let all = search.suspects.iter().zip(back).filter(|(_, back)| **back);
            all.map(|(one, _)| one.id.as_str()).collect::<Vec<_>>()
        };
        let shares = search.machine().shares();
        let suspects = search.suspects.iter().zip(shares).map(|(one, share)| JsonSuspect {
            id: one.id.as_str(),
            user: one.user.number(),
            share: (share * 1000.0).round() / 1000.0,
        });
        let (word, back, cause, culprits) = match next {
            Some(Next::Try(back)) => (Some("try"), those(back), None, Vec::new()),
            Some(Next::Found(cause)) => {
                let word = match cause {
                    Cause::One(_) => "one",
                    Cause::Together(..) => "together",
                    Cause::Either(..) => "either",
                    Cause::NoneOfThem => "none",
                };
                let culprits = search.culprits(*cause).into_iter().filter_map(name).collect();
                (Some("found"), those(&search.in_the_end(*cause)), Some(word), culprits)
            }
            Some(Next::Blurred(all)) => {
                (Some("blurred"), Vec::new(), None, all.iter().copied().filter_map(name).collect())
            }
            None => (None, Vec::new(), None, Vec::new()),
        };
        Self {
            finder: search.number.number(),
            serial: search.device.as_str(),
            what: search.what.as_str(),
            check: search.check.as_ref().map(ToString::to_string),
            suspects: suspects.collect(),
            rounds: search
                .rounds
                .iter()
                .map(|round| JsonRound { back: those(&round.back), seen: round.seen.name() })
                .collect(),
            next: word,
            back,
            cause,
            culprits,
            runs: runs.iter().map(|run| run.number.number()).collect(),
        }
    }
}
