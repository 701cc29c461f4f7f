//! Which looks are kept: all of late, and ever fewer the further back.

use wibbet_types::{LookId, Timestamp};

use super::look::LookHead;

const DAY: i64 = 24 * 60 * 60 * 1000;

/// So far back all are kept, one a day, and one a week; further back one in four weeks.
const ALL_FOR: i64 = 14 * DAY;
const DAILY_FOR: i64 = 90 * DAY;
const WEEKLY_FOR: i64 = 730 * DAY;

/// The looks of one device that are not needed any more, of those that are kept, the first one first. The first and the last look at each
/// build stay: what an update did shows between them.
pub fn thinned(looks: &[LookHead], now: Timestamp) -> Vec<LookId> {
    let mut gone = Vec::new();
    let mut last_span: Option<(i64, i64)> = None;
    for (place, look) in looks.iter().enumerate().rev() {
        let neighbours = [place.checked_sub(1), Some(place + 1)].map(|at| at.and_then(|at| looks.get(at)));
        let at_an_edge = neighbours.into_iter().any(|other| other.is_none_or(|other| other.build != look.build));
        // What a clock that jumped has put into the future is of today.
        let age = (now.0 - look.until.0).max(0);
        let spans = [(ALL_FOR, 0), (DAILY_FOR, DAY), (WEEKLY_FOR, 7 * DAY)];
        let span = spans.into_iter().find(|(most, _)| age <= *most).map_or(28 * DAY, |(_, span)| span);
        if span == 0 {
            continue;
        }
        let of = (span, look.until.0.div_euclid(span));
        if last_span == Some(of) && !at_an_edge {
            gone.push(look.number);
        } else {
            last_span = Some(of);
        }
    }
    gone
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use wibbet_types::PlainText;

    fn looks(all: &[(i64, &str)]) -> Vec<LookHead> {
        let of = |(place, (day, build)): (usize, &(i64, &str))| LookHead {
            number: LookId::new(place as i64),
            at: Timestamp(day * DAY),
            until: Timestamp(day * DAY + 5),
            build: PlainText::new(build),
            boot: None,
        };
        all.iter().enumerate().map(of).collect()
    }

    #[test]
    fn fewer_the_further_back() {
        // One each hour of a thousand days would be a lot to write here: one each quarter of a day.
        let quarter = |n: i64| LookHead {
            number: LookId::new(n),
            at: Timestamp(n * DAY / 4),
            until: Timestamp(n * DAY / 4),
            build: PlainText::new("B"),
            boot: None,
        };
        let all: Vec<LookHead> = (0..4000).map(quarter).collect();
        let now = Timestamp(1000 * DAY);
        let gone = thinned(&all, now);
        let left: Vec<LookHead> = all.iter().filter(|look| !gone.contains(&look.number)).cloned().collect();
        // 14 days of four, 76 of one, 640 by the week, 270 in fours of weeks.
        assert!((56 + 76 + 91 + 9..=56 + 76 + 93 + 13).contains(&left.len()), "{}", left.len());
        assert!(thinned(&left, now).is_empty(), "nothing more goes at once");
        assert_eq!(left.last().map(|look| look.number), Some(LookId::new(3999)));
    }

    #[test]
    fn the_first_and_the_last_of_a_build_stay() {
        let all = looks(&[(1, "A"), (1, "A"), (1, "A"), (1, "B"), (1, "B"), (1, "C")]);
        assert_eq!(thinned(&all, Timestamp(1000 * DAY)), [LookId::new(1)]);
    }

    proptest! {
        #[test]
        fn the_last_one_always_stays(days in proptest::collection::vec(-10i64..2000, 1..40), now in 0i64..2000) {
            let all = looks(&days.iter().map(|day| (*day, "A")).collect::<Vec<_>>());
            let gone = thinned(&all, Timestamp(now * DAY));
            prop_assert!(!gone.contains(&LookId::new(all.len() as i64 - 1)));
            prop_assert!(!gone.contains(&LookId::new(0)));
        }
    }
}
