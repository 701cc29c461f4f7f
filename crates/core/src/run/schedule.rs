//! Which steps may be on their way at the same time.

use std::collections::{HashMap, HashSet, VecDeque};

use wibbet_types::PackageId;

/// Gives out steps, at most a window of them at a time and in order. Two steps for the same
/// package never are on their way together: the later one builds on the earlier one's result.
#[derive(Debug)]
pub struct Schedule {
    waiting: VecDeque<(usize, PackageId)>,
    on_the_way: HashMap<usize, PackageId>,
    window: usize,
}

impl Schedule {
    /// A schedule of steps by place, with at most `window` (at least 1) on their way.
    pub fn new(steps: impl IntoIterator<Item = (usize, PackageId)>, window: usize) -> Self {
        Self { waiting: steps.into_iter().collect(), on_the_way: HashMap::new(), window: window.max(1) }
    }

    /// The next step that may go now.
    pub fn next_ready(&mut self) -> Option<usize> {
        if self.on_the_way.len() >= self.window {
            return None;
        }
        let mut busy: HashSet<&PackageId> = self.on_the_way.values().collect();
        let ready = self.waiting.iter().position(|(_, id)| busy.insert(id))?;
        let (place, id) = self.waiting.remove(ready)?;
        self.on_the_way.insert(place, id);
        Some(place)
    }

    /// A step has its outcome.
    pub fn settle(&mut self, place: usize) {
        self.on_the_way.remove(&place);
    }

    /// Takes back all that has not gone.
    pub fn stop(&mut self) {
        self.waiting.clear();
    }

    /// Whether nothing is left.
    pub fn is_over(&self) -> bool {
        self.waiting.is_empty() && self.on_the_way.is_empty()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn steps(ids: &[&str]) -> Vec<(usize, PackageId)> {
        ids.iter().enumerate().map(|(i, id)| (i, id.parse().unwrap())).collect()
    }

    #[test]
    fn a_window_and_a_barrier() {
        let mut schedule = Schedule::new(steps(&["a", "b", "a", "c"]), 3);
        assert_eq!([schedule.next_ready(), schedule.next_ready(), schedule.next_ready()], [Some(0), Some(1), Some(3)]);
        assert_eq!(schedule.next_ready(), None);
        schedule.settle(1);
        assert_eq!(schedule.next_ready(), None, "step 2 waits for step 0");
        schedule.settle(0);
        assert_eq!(schedule.next_ready(), Some(2));
        schedule.settle(2);
        schedule.settle(3);
        assert!(schedule.is_over());
    }

    #[test]
    fn a_window_of_one_keeps_the_order_and_can_be_stopped() {
        let mut schedule = Schedule::new(steps(&["a", "b", "c"]), 0);
        assert_eq!(schedule.next_ready(), Some(0));
        assert_eq!(schedule.next_ready(), None);
        schedule.stop();
        assert!(!schedule.is_over(), "what is on its way is waited for");
        schedule.settle(0);
        assert!(schedule.is_over());
    }

    proptest! {
        #[test]
        fn every_step_goes_once_and_same_packages_in_order(ids in proptest::collection::vec("[a-c]", 0..20), window in 1usize..5) {
            let names: Vec<&str> = ids.iter().map(String::as_str).collect();
            let mut schedule = Schedule::new(steps(&names), window);
            let mut order = Vec::new();
            let mut going = VecDeque::new();
            while !schedule.is_over() {
                while let Some(place) = schedule.next_ready() {
                    prop_assert!(going.iter().all(|&other: &usize| names[other] != names[place]));
                    going.push_back(place);
                    order.push(place);
                }
                prop_assert!(going.len() <= window);
                schedule.settle(going.pop_front().unwrap());
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
