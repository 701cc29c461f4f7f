//! Which steps may be on their way at the same time, and when what has been answered is read back.

use std::collections::{HashMap, HashSet, VecDeque};
use std::hash::Hash;

use wibbet_types::StepIndex;

/// So many answered steps may wait to be read back; then nothing more is sent.
const MOST_UNREAD: usize = 64;

/// Gives out steps, at most a window of them on their way at a time and in order. A step that has been answered makes room for
/// the next one before it is read back; but two steps about the same thing `K`, a package or one for a user, never are between
/// sending and reading back together: the later one builds on the earlier one's result.
#[derive(Debug)]
pub struct Schedule<K> {
    waiting: VecDeque<(StepIndex, K)>,
    on_the_way: HashMap<StepIndex, K>,
    unread: HashMap<StepIndex, K>,
    window: usize,
    held: bool,
}

impl<K: Eq + Hash> Schedule<K> {
    /// A schedule of steps by place, with at most `window` (at least 1) on their way.
    pub fn new(steps: impl IntoIterator<Item = (StepIndex, K)>, window: usize) -> Self {
        let waiting = steps.into_iter().collect();
        Self { waiting, on_the_way: HashMap::new(), unread: HashMap::new(), window: window.max(1), held: false }
    }

    /// So many (at least 1) may be on their way from now on.
    pub fn widen(&mut self, window: usize) {
        self.window = window.max(1);
    }

    /// The next step that may go now.
    pub fn next_ready(&mut self) -> Option<StepIndex> {
        if self.held || self.on_the_way.len() >= self.window || self.unread.len() >= MOST_UNREAD {
            return None;
        }
        let mut busy: HashSet<&K> = self.on_the_way.values().chain(self.unread.values()).collect();
        let ready = self.waiting.iter().position(|(_, id)| busy.insert(id))?;
        let (index, id) = self.waiting.remove(ready)?;
        self.on_the_way.insert(index, id);
        Some(index)
    }

    /// A step has been answered, or its answer will not come: it is to be read back.
    pub fn answered(&mut self, index: StepIndex) {
        if let Some(id) = self.on_the_way.remove(&index) {
            self.unread.insert(index, id);
        }
    }

    /// A step is to be sent again, before all others.
    pub fn again(&mut self, index: StepIndex) {
        if let Some(id) = self.on_the_way.remove(&index).or_else(|| self.unread.remove(&index)) {
            self.waiting.push_front((index, id));
        }
    }

    /// A step has come to it, and is to be sent before all others.
    pub fn first(&mut self, index: StepIndex, about: K) {
        self.waiting.push_front((index, about));
    }

    /// A step has its outcome.
    pub fn finish(&mut self, index: StepIndex) {
        self.on_the_way.remove(&index);
        self.unread.remove(&index);
    }

    /// Nothing more goes as long as it is held.
    pub fn hold(&mut self, held: bool) {
        self.held = held;
    }

    /// Takes back all that has not gone.
    pub fn stop(&mut self) {
        self.waiting.clear();
    }

    /// How many have not gone yet.
    pub fn waiting(&self) -> usize {
        self.waiting.len()
    }

    /// Whether nothing is left.
    pub fn is_over(&self) -> bool {
        self.waiting.is_empty() && self.on_the_way.is_empty() && self.unread.is_empty()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use wibbet_types::PackageId;

    fn steps(ids: &[&str]) -> Vec<(StepIndex, PackageId)> {
        ids.iter().enumerate().map(|(i, id)| (StepIndex::new(i), id.parse().unwrap())).collect()
    }

    fn next(schedule: &mut Schedule<PackageId>) -> Option<usize> {
        schedule.next_ready().map(StepIndex::get)
    }

    #[test]
    fn a_window_and_a_barrier() {
        let mut schedule = Schedule::new(steps(&["a", "b", "a", "c"]), 3);
        assert_eq!([next(&mut schedule), next(&mut schedule), next(&mut schedule)], [Some(0), Some(1), Some(3)]);
        assert_eq!(next(&mut schedule), None);
        schedule.finish(StepIndex::new(1));
        assert_eq!(next(&mut schedule), None, "step 2 waits for step 0");
        schedule.finish(StepIndex::new(0));
        assert_eq!(next(&mut schedule), Some(2));
        schedule.finish(StepIndex::new(2));
        schedule.finish(StepIndex::new(3));
        assert!(schedule.is_over());
    }

    #[test]
    fn a_window_of_one_keeps_the_order_and_can_be_stopped() {
        let mut schedule = Schedule::new(steps(&["a", "b", "c"]), 0);
        assert_eq!(next(&mut schedule), Some(0));
        assert_eq!(next(&mut schedule), None);
        schedule.stop();
        assert!(!schedule.is_over(), "what is on its way is waited for");
        schedule.finish(StepIndex::new(0));
        assert!(schedule.is_over());
    }

    #[test]
    fn what_is_answered_makes_room_and_keeps_its_package() {
        let mut schedule = Schedule::new(steps(&["a", "a", "b", "c"]), 1);
        assert_eq!([next(&mut schedule), next(&mut schedule)], [Some(0), None]);
        schedule.answered(StepIndex::new(0));
        assert_eq!(next(&mut schedule), Some(2), "the next one on the same package waits until it is read back");
        schedule.again(StepIndex::new(0));
        schedule.answered(StepIndex::new(2));
        assert_eq!(next(&mut schedule), Some(0), "sent again before all others");
        schedule.finish(StepIndex::new(2));
        schedule.finish(StepIndex::new(0));
        schedule.hold(true);
        assert_eq!(next(&mut schedule), None);
        schedule.hold(false);
        assert_eq!(next(&mut schedule), Some(1));
        let many: Vec<String> = (0..MOST_UNREAD + 2).map(|n| format!("p{n}")).collect();
        let names: Vec<&str> = many.iter().map(String::as_str).collect();
        let mut schedule = Schedule::new(steps(&names), 1);
        let mut gone = 0;
        while let Some(place) = next(&mut schedule) {
            schedule.answered(StepIndex::new(place));
            gone += 1;
        }
        assert_eq!(gone, MOST_UNREAD, "what is not read back does not grow without end");
        schedule.stop();
        assert!(!schedule.is_over(), "what has been answered is read back all the same");
    }

    proptest! {
        #[test]
        fn every_step_goes_once_and_same_packages_in_order(ids in proptest::collection::vec("[a-c]", 0..20), window in 1usize..5) {
            let names: Vec<&str> = ids.iter().map(String::as_str).collect();
            let mut schedule = Schedule::new(steps(&names), window);
            let mut order = Vec::new();
            let mut going = VecDeque::new();
            while !schedule.is_over() {
                while let Some(place) = next(&mut schedule) {
                    prop_assert!(going.iter().all(|&other: &usize| names[other] != names[place]));
                    going.push_back(place);
                    order.push(place);
                }
                prop_assert!(going.len() <= window);
                schedule.finish(StepIndex::new(going.pop_front().unwrap()));
            }
            for name in ["a", "b", "c"] {
                let places: Vec<usize> = order.iter().copied().filter(|&p| names[p] == name).collect();
                prop_assert!(places.is_sorted());
            }
            order.sort_unstable();
            prop_assert_eq!(order, (0..names.len()).collect::<Vec<_>>());
        }
    }
}
