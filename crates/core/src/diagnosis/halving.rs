//! The fault finder: since some packages are off something is broken, and nothing says which of them it is due to. Each round puts
//! some of them back and asks one question; a machine that says what to try next, and knows in the end.
//!
//! What could be the cause is weighed all at once: each suspect by itself; two that break it only when both are off; two of which
//! either breaks it; none of them. Every answer shifts the weights by Bayes' rule, and any answer may be wrong: a contradiction is
//! nothing special, only a reason to try again what tells most. First the likeliest half is put back, and again the likeliest half of
//! what is left, never so that more rounds could be needed than halving takes; then what is left is checked from both sides, with it
//! alone back, and with it alone off.

/// What a round showed.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum Evaluation {
    /// The fault was gone.
    Gone,
    /// It was still there.
    Still,
    /// That could not be told.
    CannotTell,
}

/// Some suspects were put back, the others were off, and somebody looked.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Round {
    /// For each suspect whether it was back.
    pub back: Vec<bool>,
    /// What was seen.
    pub seen: Evaluation,
}

/// What the fault is due to, by the places of suspects.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum Cause {
    /// It is there while this one is off.
    One(usize),
    /// It is there while both are off: either being back is enough.
    Together(usize, usize),
    /// It is there while one of them is off: both have to be back.
    Either(usize, usize),
    /// It is there whatever is done with the suspects.
    NoneOfThem,
}

impl Cause {
    /// Whether the fault is there while these are back.
    fn breaks(self, back: &[bool]) -> bool {
        match self {
            Self::One(one) => !back[one],
            Self::Together(one, other) => !back[one] && !back[other],
            Self::Either(one, other) => !back[one] || !back[other],
            Self::NoneOfThem => true,
        }
    }
}

/// What comes next.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Next {
    /// Have these back and the others off, and look whether the fault is there.
    Try(Vec<bool>),
    /// That is what it is due to.
    Found(Cause),
    /// It cannot be told: the answers contradict each other too often, or what would tell cannot be had. These are the likeliest.
    Blurred(Vec<usize>),
}

/// How often an answer is taken to be wrong: something was looked at too early, or comes and goes.
const WRONG: f64 = 0.05;

/// So sure it has to be.
const SURE: f64 = 0.99;

/// So likely it has to be where it explains every answer and has been checked: one alone, and two.
const LIKELY: f64 = 0.80;
const LIKELY_TWO: f64 = 0.70;

/// After so many rounds it is given up.
const MOST_ROUNDS: usize = 40;

/// What is believed at first: of one alone, of two that are needed together, of two of which either is enough, of none.
const ONE: f64 = 0.90;
const TOGETHER: f64 = 0.05;
const EITHER: f64 = 0.04;
const NONE: f64 = 0.01;

/// The search for what a fault is due to.
#[derive(Debug, Clone)]
pub struct Halving {
    /// How likely each is at first; they add up to 1.
    weights: Vec<f64>,
    rounds: Vec<Round>,
    causes: Vec<(Cause, f64)>,
}

impl Halving {
    /// Begins with suspects, each with a weight above zero: how much speaks for it against the others.
    pub fn new(weights: &[f64]) -> Self {
        let shares = |of: &dyn Fn(f64) -> f64| -> Vec<f64> {
            let all: Vec<f64> = weights.iter().map(|weight| of(weight.max(f64::MIN_POSITIVE))).collect();
            let sum: f64 = all.iter().sum();
            all.iter().map(|weight| weight / sum).collect()
        };
        // What speaks for one decides who is tried first; how much that says of the truth nobody has measured.
        let (first, believed) = (shares(&|weight| weight), shares(&f64::sqrt));
        let ones = believed.iter().enumerate().map(|(one, weight)| (Cause::One(one), ONE * weight));
        let mut causes: Vec<(Cause, f64)> = ones.collect();
        // All pairs together weigh half of what is left of the square of all.
        let pairs = (1.0 - believed.iter().map(|weight| weight * weight).sum::<f64>()) / 2.0;
        let weights = believed;
        for one in 0..weights.len() {
            for other in one + 1..weights.len() {
                let share = weights[one] * weights[other] / pairs.max(f64::MIN_POSITIVE);
                causes.push((Cause::Together(one, other), TOGETHER * share));
                causes.push((Cause::Either(one, other), EITHER * share));
            }
        }
        causes.push((Cause::NoneOfThem, NONE));
        let mut halving = Self { weights: first, rounds: Vec::new(), causes };
        halving.normalise();
        halving
    }

    /// Goes on with what rounds have shown before.
    pub fn with(weights: &[f64], rounds: impl IntoIterator<Item = Round>) -> Self {
        let mut halving = Self::new(weights);
        let fits = |round: &Round| round.back.len() == halving.weights.len();
        let rounds: Vec<Round> = rounds.into_iter().filter(fits).collect();
        rounds.into_iter().for_each(|round| halving.mark(round));
        halving
    }

    /// The rounds so far.
    pub fn rounds(&self) -> &[Round] {
        &self.rounds
    }

    /// Takes in what a round has shown.
    pub fn mark(&mut self, round: Round) {
        if round.seen != Evaluation::CannotTell {
            let still = round.seen == Evaluation::Still;
            for (cause, weight) in &mut self.causes {
                *weight *= if cause.breaks(&round.back) == still { 1.0 - WRONG } else { WRONG };
            }
            self.normalise();
        }
        self.rounds.push(round);
    }

    fn normalise(&mut self) {
        let sum: f64 = self.causes.iter().map(|(_, weight)| weight).sum();
        self.causes.iter_mut().for_each(|(_, weight)| *weight /= sum.max(f64::MIN_POSITIVE));
    }

    /// How likely it is that each suspect has a part in it.
    pub fn shares(&self) -> Vec<f64> {
        let mut shares = vec![0.0; self.weights.len()];
        for (cause, weight) in &self.causes {
            match *cause {
                Cause::One(one) => shares[one] += weight,
                Cause::Together(one, other) | Cause::Either(one, other) => {
                    shares[one] += weight;
                    shares[other] += weight;
                }
                Cause::NoneOfThem => {}
            }
        }
        shares
    }

    /// What comes next.
    pub fn next(&self) -> Next {
        if let Some((cause, _)) = self.causes.iter().find(|(_, weight)| *weight >= SURE) {
            return Next::Found(*cause);
        }
        if self.weights.is_empty() || self.rounds.len() >= MOST_ROUNDS {
            return Next::Blurred(self.likeliest().into_iter().take(5).collect());
        }
        if let Some(back) = self.by_rule() {
            return Next::Try(back);
        }
        if let Some(cause) = self.checked() {
            return Next::Found(cause);
        }
        self.most_telling().map_or_else(|| Next::Blurred(self.likeliest().into_iter().take(5).collect()), Next::Try)
    }

    /// What comes next as long as no answer contradicts another.
    fn by_rule(&self) -> Option<Vec<bool>> {
        let alive: Vec<usize> = (0..self.weights.len()).filter(|one| self.explains(Cause::One(*one))).collect();
        match alive.as_slice() {
            [] => {
                let pairs = |(cause, _): &&(Cause, f64)| matches!(cause, Cause::Together(..) | Cause::Either(..));
                let alive: Vec<(Cause, f64)> =
                    self.causes.iter().filter(pairs).filter(|(cause, _)| self.explains(*cause)).copied().collect();
                match alive.as_slice() {
                    [] => None,
                    [(cause, _)] => self.checks_of(*cause).into_iter().find_map(|back| self.unless_told(back)),
                    // Little speaks for one pair against another: the fewest rounds are what counts.
                    several => {
                        let alike: Vec<(Cause, f64)> = several.iter().map(|(cause, _)| (*cause, 1.0)).collect();
                        self.best_of(self.tries_among(several), &alike, 0.0)
                    }
                }
            }
            // It alone back, and it alone off.
            [one] => self.unless_told(self.back(&[*one])).or_else(|| self.unless_told(self.off(&[*one]))),
            several => self.half_of(several),
        }
    }

    /// The one cause that explains every answer, once it has been checked and is likely enough.
    fn checked(&self) -> Option<Cause> {
        let mut explaining = self.causes.iter().filter(|(cause, _)| self.explains(*cause));
        let ((cause, weight), None) = (explaining.next()?, explaining.next()) else { return None };
        let tried = |back: Vec<bool>| {
            self.rounds.iter().any(|round| round.back == back && round.seen != Evaluation::CannotTell)
        };
        let checks = self.checks_of(*cause);
        let checked = !checks.is_empty() && checks.into_iter().all(tried);
        let enough = if matches!(cause, Cause::One(_)) { LIKELY } else { LIKELY_TWO };
        (checked && *weight >= enough).then_some(*cause)
    }

    /// What shows that it is one cause and no other: it back and nothing else, and it off and nothing else; both of two, and one of
    /// them that has been tried alone already.
    fn checks_of(&self, cause: Cause) -> Vec<Vec<bool>> {
        let one_of = |both: Vec<bool>, one: Vec<bool>, other: Vec<bool>| {
            let told = self.unless_told(other.clone()).is_none();
            vec![both, if told { other } else { one }]
        };
        match cause {
            Cause::One(one) => vec![self.back(&[one]), self.off(&[one])],
            Cause::Together(one, other) => one_of(self.off(&[one, other]), self.off(&[one]), self.off(&[other])),
            Cause::Either(one, other) => one_of(self.back(&[one, other]), self.back(&[one]), self.back(&[other])),
            Cause::NoneOfThem => Vec::new(),
        }
    }

    /// Whether a cause explains every answer.
    fn explains(&self, cause: Cause) -> bool {
        self.rounds.iter().all(|round| match round.seen {
            Evaluation::CannotTell => true,
            seen => cause.breaks(&round.back) == (seen == Evaluation::Still),
        })
    }

    /// What has not been tried yet.
    fn unless_told(&self, back: Vec<bool>) -> Option<Vec<bool>> {
        (!self.rounds.iter().any(|round| round.back == back)).then_some(back)
    }

    /// The likeliest half of some suspects by their weight, but never so many or so few that the rest could take more rounds than
    /// halving does. `None` where that could not be told before.
    fn half_of(&self, alive: &[usize]) -> Option<Vec<bool>> {
        let mut alive = alive.to_vec();
        alive.sort_by(|a, b| self.weights[*b].total_cmp(&self.weights[*a]));
        let told = self.rounds.iter().filter(|round| round.seen != Evaluation::CannotTell).count();
        let rounds = |count: usize| count.next_power_of_two().trailing_zeros() as usize;
        // Of the rounds that halving all of them takes.
        let left = rounds(self.weights.len()).saturating_sub(told).max(rounds(alive.len()));
        let most = 1usize << left.saturating_sub(1).min(30);
        let least = alive.len().saturating_sub(most).max(1);
        let sum: f64 = alive.iter().map(|one| self.weights[*one]).sum();
        let mut best: Option<(f64, usize)> = None;
        let mut weight = 0.0;
        for (n, one) in alive.iter().enumerate() {
            weight += self.weights[*one];
            let count = n + 1;
            if (least..=most.min(alive.len() - 1)).contains(&count) {
                let off = (weight / sum - 0.5).abs();
                if best.is_none_or(|(least_off, _)| off < least_off) && !self.was_unclear(&self.back(&alive[..count])) {
                    best = Some((off, count));
                }
            }
        }
        best.map(|(_, count)| self.back(&alive[..count]))
    }

    fn back(&self, these: &[usize]) -> Vec<bool> {
        (0..self.weights.len()).map(|one| these.contains(&one)).collect()
    }

    /// Whether what is shown by that could not be told before.
    fn was_unclear(&self, back: &[bool]) -> bool {
        self.rounds.iter().any(|round| round.back == back && round.seen == Evaluation::CannotTell)
    }

    /// The suspects, the likeliest first.
    fn likeliest(&self) -> Vec<usize> {
        let shares = self.shares();
        let mut all: Vec<usize> = (0..shares.len()).collect();
        all.sort_by(|a, b| shares[*b].total_cmp(&shares[*a]));
        all
    }

    /// All are back but these.
    fn off(&self, these: &[usize]) -> Vec<bool> {
        (0..self.weights.len()).map(|one| !these.contains(&one)).collect()
    }

    /// What tells most, as things stand.
    fn most_telling(&self) -> Option<Vec<bool>> {
        self.best_of(self.tries(), &self.causes, WRONG)
    }

    /// What could be tried: what was tried before; some alone back or alone off; halves of the likeliest, with the likeliest one off and
    /// without.
    fn tries(&self) -> Vec<Vec<bool>> {
        let all = self.likeliest();
        let shares = self.shares();
        let mut tries: Vec<Vec<bool>> = self.rounds.iter().map(|round| round.back.clone()).collect();
        for one in all.iter().take(3) {
            tries.push(self.back(&[*one]));
            tries.push(self.off(&[*one]));
        }
        for pair in all.iter().take(4).flat_map(|one| all.iter().take(4).map(move |other| [*one, *other])) {
            tries.push(self.back(&pair));
            tries.push(self.off(&pair));
        }
        // Where halves of what is likely end.
        let halves = |of: &[usize]| -> Vec<usize> {
            let sum: f64 = of.iter().map(|one| shares[*one]).sum();
            let mut weight = 0.0;
            let at = of.iter().position(|one| {
                weight += shares[*one];
                weight * 2.0 >= sum
            });
            let at = at.map_or(of.len(), |at| at + 1);
            vec![at.saturating_sub(1).max(1), at, at + 1, at + 2, of.len().div_ceil(2), of.len().div_ceil(3)]
        };
        for rest in [&all[..], all.get(1..).unwrap_or_default()] {
            for count in halves(rest) {
                let these = &rest[..count.min(rest.len())];
                let with: Vec<usize> = all.iter().take(1).chain(these).copied().collect();
                tries.extend([self.back(these), self.off(these), self.back(&with), self.off(&with)]);
            }
        }
        tries.retain(|back| !self.was_unclear(back));
        tries
    }

    /// What tells pairs apart: some of them off, or back, all in all.
    fn tries_among(&self, pairs: &[(Cause, f64)]) -> Vec<Vec<bool>> {
        let members = |cause: Cause| match cause {
            Cause::Together(one, other) | Cause::Either(one, other) => vec![one, other],
            Cause::One(one) => vec![one],
            Cause::NoneOfThem => Vec::new(),
        };
        let mut often = vec![0usize; self.weights.len()];
        pairs.iter().flat_map(|(cause, _)| members(*cause)).for_each(|one| often[one] += 1);
        // Whoever is in most of them, and with whom.
        let mut by_number: Vec<usize> = (0..often.len()).filter(|one| often[*one] > 0).collect();
        by_number.sort_by_key(|one| std::cmp::Reverse(often[*one]));
        let mut tries = Vec::new();
        for (n, one) in by_number.iter().enumerate().take(3) {
            let others: Vec<usize> =
                by_number.iter().enumerate().filter(|(m, _)| *m != n).map(|(_, other)| *other).collect();
            for count in 1..=others.len() {
                let with: Vec<usize> = [*one].into_iter().chain(others[..count].iter().copied()).collect();
                tries.extend([
                    self.off(&with),
                    self.back(&with),
                    self.off(&others[..count]),
                    self.back(&others[..count]),
                ]);
            }
        }
        tries.retain(|back| !self.was_unclear(back));
        tries
    }

    /// The one of some tries whose answer tells most among some causes; `None` where none tells anything.
    fn best_of(&self, tries: Vec<Vec<bool>>, causes: &[(Cause, f64)], wrong: f64) -> Option<Vec<bool>> {
        let told = tries.into_iter().map(|back| (tells(&back, causes, wrong), back));
        told.max_by(|a, b| a.0.total_cmp(&b.0)).filter(|(tells, _)| *tells > 1e-6).map(|(_, back)| back)
    }
}

/// How much an answer would tell among some causes, in bits: how unsure it is what will be seen, less how unsure any answer is by
/// itself.
fn tells(back: &[bool], causes: &[(Cause, f64)], wrong: f64) -> f64 {
    let all: f64 = causes.iter().map(|(_, weight)| weight).sum();
    let breaks: f64 = causes.iter().filter(|(cause, _)| cause.breaks(back)).map(|(_, weight)| weight).sum();
    let breaks = breaks / all.max(f64::MIN_POSITIVE);
    unsure(breaks * (1.0 - wrong) + (1.0 - breaks) * wrong) - unsure(wrong)
}

/// How unsure something is that is so with a probability, in bits.
fn unsure(so: f64) -> f64 {
    let part = |p: f64| if p > 0.0 { -p * p.log2() } else { 0.0 };
    part(so) + part(1.0 - so)
}

#[cfg(test)]
mod tests {
    use super::*;

    /// A seeded source of chance.
    struct Chance(u64);

    impl Chance {
        fn below(&mut self, n: usize) -> usize {
            // Source: the constants of Knuth's MMIX generator.
            self.0 = self.0.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
            (self.0 >> 33) as usize % n
        }
    }

    const SUSPECTS: usize = 40;

    /// How a search went: rounds until the cause was named for the first time, rounds in all, and what was found.
    fn search(weights: &[f64], cause: Cause, mut wrong: impl FnMut() -> bool) -> (usize, usize, Next) {
        let mut halving = Halving::new(weights);
        let mut named = None;
        loop {
            let explains = halving.causes.iter().filter(|(cause, _)| halving.explains(*cause));
            let left = match cause {
                Cause::One(_) => explains.filter(|(cause, _)| matches!(cause, Cause::One(_))).count(),
                _ => explains.count(),
            };
            if named.is_none() && left == 1 {
                named = Some(halving.rounds.len());
            }
            let back = match halving.next() {
                Next::Try(back) => back,
                end => return (named.unwrap_or(halving.rounds.len()), halving.rounds.len(), end),
            };
            // Nothing is asked of which the answer is known.
            let tells = halving.causes.iter().filter(|(_, weight)| *weight > 1e-9);
            let breaks: Vec<bool> = tells.map(|(cause, _)| cause.breaks(&back)).collect();
            assert!(breaks.contains(&true) && breaks.contains(&false), "{back:?}");
            let still = cause.breaks(&back) != wrong();
            halving.mark(Round { back, seen: if still { Evaluation::Still } else { Evaluation::Gone } });
        }
    }

    /// Five of forty are tied to something, as likely ones are; the others are not.
    fn weights(chance: &mut Chance) -> Vec<f64> {
        let mut weights = vec![1.0; SUSPECTS];
        for _ in 0..5 {
            weights[chance.below(SUSPECTS)] = 20.0;
        }
        weights
    }

    #[test]
    fn one_of_forty_is_found_in_six_rounds_and_two_checks() {
        let mut pointed_at = Vec::new();
        for seed in 0..1000 {
            let mut chance = Chance(seed);
            let weights = weights(&mut chance);
            let one = chance.below(SUSPECTS);
            let (named, rounds, end) = search(&weights, Cause::One(one), || false);
            assert_eq!(end, Next::Found(Cause::One(one)), "seed {seed}");
            assert!(named <= 6 && rounds <= 8, "seed {seed}: {named} {rounds}");
            // Where what is known of the packages points at it.
            let tied: Vec<usize> = (0..SUSPECTS).filter(|one| weights[*one] > 1.0).collect();
            let one = tied[chance.below(tied.len())];
            let (named, _, end) = search(&weights, Cause::One(one), || false);
            assert_eq!(end, Next::Found(Cause::One(one)), "seed {seed}");
            pointed_at.push(named);
        }
        pointed_at.sort_unstable();
        assert!(pointed_at[pointed_at.len() / 2] <= 4, "{}", pointed_at[pointed_at.len() / 2]);
    }

    #[test]
    fn two_of_forty_are_found_in_sixteen_rounds_and_two_checks() {
        for seed in 0..1000 {
            let mut chance = Chance(seed);
            let weights = weights(&mut chance);
            let (one, other) = loop {
                let pair = (chance.below(SUSPECTS), chance.below(SUSPECTS));
                if pair.0 < pair.1 {
                    break pair;
                }
            };
            let cause = Cause::Together(one, other);
            let (named, rounds, end) = search(&weights, cause, || false);
            assert_eq!(end, Next::Found(cause), "seed {seed}");
            // Nothing else explains it then; that no answer was wrong takes a look or two more.
            assert!(named <= 16 && rounds <= 18, "seed {seed}: {named} {rounds}");
        }
    }

    #[test]
    fn a_wrong_answer_in_twenty_is_found_out() {
        let mut right = 0;
        for seed in 0..1000 {
            let mut chance = Chance(seed);
            let weights = weights(&mut chance);
            let one = chance.below(SUSPECTS);
            let (_, _, end) = search(&weights, Cause::One(one), || chance.below(20) == 0);
            right += usize::from(end == Next::Found(Cause::One(one)));
        }
        assert!(right >= 990, "{right}");
    }

    #[test]
    fn what_cannot_be_told_is_tried_another_way_and_what_was_seen_is_gone_on_with() {
        let weights = [1.0; 8];
        let mut halving = Halving::new(&weights);
        let mut unclear = 0;
        let found = loop {
            match halving.next() {
                Next::Try(back) => {
                    // The first look at anything tells nothing now and then.
                    let seen = match halving.rounds().len().is_multiple_of(3) && unclear < 4 {
                        true => {
                            unclear += 1;
                            Evaluation::CannotTell
                        }
                        false if back[5] => Evaluation::Gone,
                        false => Evaluation::Still,
                    };
                    assert!(!halving.was_unclear(&back));
                    halving.mark(Round { back, seen });
                    // It is the same after an interruption.
                    halving = Halving::with(&weights, halving.rounds().to_vec());
                }
                end => break end,
            }
        };
        assert_eq!((found, unclear > 0), (Next::Found(Cause::One(5)), true));
        // What none of them has to do with is said.
        let (_, _, end) = search(&weights, Cause::NoneOfThem, || false);
        assert_eq!(end, Next::Found(Cause::NoneOfThem));
        // Nobody is suspected.
        assert_eq!(Halving::new(&[]).next(), Next::Found(Cause::NoneOfThem));
        assert!(matches!(Halving::new(&[1.0]).next(), Next::Try(_)));
    }
}
