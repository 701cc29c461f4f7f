//! A list whose items have some lines each, under what is said above it.

use super::list::first_shown;

/// So many lines of the items are in sight at least where what is said above them stands.
const LEFT: usize = 4;

/// Where somebody is in such a list.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub(crate) struct Place {
    /// The item under the cursor.
    pub(crate) at: usize,
    /// How many of its lines were scrolled past while the cursor stayed on it.
    pub(crate) passed: usize,
}

/// A list whose items have some lines each. What is said above it stands where it leaves room for a few of them, and is scrolled with the first
/// item where it does not. An item that is not wholly in sight is scrolled before the cursor leaves it: every line can be read on any screen.
pub(crate) struct TallList {
    above: usize,
    heights: Vec<usize>,
    /// The lines that there are for both.
    lines: usize,
}

impl TallList {
    pub(crate) fn new(above: usize, heights: Vec<usize>, lines: usize) -> Self {
        Self { above, heights, lines }
    }

    fn stands(&self) -> bool {
        let few = self.heights.iter().sum::<usize>().min(LEFT);
        self.heights.is_empty() || self.above + few <= self.lines
    }

    /// The lines in which something is scrolled.
    fn room(&self) -> usize {
        if self.stands() { self.lines.saturating_sub(self.above) } else { self.lines }
    }

    /// The scrolled lines before an item.
    fn before(&self, item: usize) -> usize {
        let above = if self.stands() { 0 } else { self.above };
        above + self.heights.iter().take(item).sum::<usize>()
    }

    /// The first of the scrolled lines in sight.
    fn first(&self, place: Place) -> usize {
        let all = self.before(self.heights.len());
        let by_itself = if place.at == 0 { 0 } else { first_shown(self.before(place.at), all, self.room()) };
        (by_itself + place.passed).min(all.saturating_sub(self.room()))
    }

    /// How many lines of the item under the cursor lie below the screen.
    fn below(&self, place: Place) -> usize {
        self.before(place.at + 1).saturating_sub(self.first(place) + self.room())
    }

    /// Where so many steps up or down lead, each to another item or over a line of the one that is not wholly in sight.
    pub(crate) fn moved(&self, from: Place, by: isize) -> Place {
        let mut place = from;
        for _ in 0..by.unsigned_abs() {
            let Place { at, passed } = place;
            let next = match by > 0 {
                true if self.below(place) > 0 => Place { at, passed: passed + 1 },
                true if at + 1 < self.heights.len() => Place { at: at + 1, passed: 0 },
                false if passed > 0 => Place { at, passed: passed - 1 },
                false if at > 0 => {
                    let above = Place { at: at - 1, passed: 0 };
                    Place { passed: self.below(above), ..above }
                }
                _ => break,
            };
            place = next;
        }
        place
    }

    /// What stands on the screen.
    pub(crate) fn shown<T>(&self, place: Place, above: Vec<T>, items: Vec<Vec<T>>) -> Vec<T> {
        let (first, room) = (self.first(place), self.room());
        let items = items.into_iter().flatten();
        match self.stands() {
            true => above.into_iter().chain(items.skip(first).take(room)).collect(),
            false => above.into_iter().chain(items).skip(first).take(room).collect(),
        }
    }

    /// Whether there are items, and none of their lines is in sight.
    pub(crate) fn has_all_below(&self, place: Place) -> bool {
        !self.stands() && self.first(place) + self.room() <= self.above
    }

    /// The item at a line of the screen.
    pub(crate) fn item_at(&self, place: Place, line: usize) -> Option<usize> {
        let line = if self.stands() { line.checked_sub(self.above)? } else { line };
        let line = Some(line).filter(|line| *line < self.room())? + self.first(place);
        (0..self.heights.len()).find(|item| (self.before(*item)..self.before(item + 1)).contains(&line))
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    /// What stands on the screen, each line by its number; those above the items count from 0, those of the items from 1000.
    fn shown(list: &TallList, place: Place) -> Vec<usize> {
        let mut next = 1000;
        let items = list.heights.iter().map(|height| {
            next += height;
            (next - height..next).collect()
        });
        let items = items.collect();
        list.shown(place, (0..list.above).collect(), items)
    }

    #[test]
    fn what_is_said_above_stands_where_there_is_room() {
        let list = TallList::new(3, vec![1; 9], 8);
        assert_eq!(shown(&list, Place::default()), [0, 1, 2, 1000, 1001, 1002, 1003, 1004]);
        assert_eq!(list.moved(Place::default(), 1), Place { at: 1, passed: 0 });
        assert_eq!(shown(&list, Place { at: 8, passed: 0 }), [0, 1, 2, 1004, 1005, 1006, 1007, 1008]);
        assert_eq!((list.item_at(Place::default(), 2), list.item_at(Place::default(), 4)), (None, Some(1)));
        // Four lines of the items would not be in sight.
        let list = TallList::new(6, vec![2, 2, 3], 8);
        assert_eq!(shown(&list, Place::default()), [0, 1, 2, 3, 4, 5, 1000, 1001]);
        let next = list.moved(Place::default(), 1);
        assert_eq!(
            (next, shown(&list, next)),
            (Place { at: 1, passed: 0 }, vec![4, 5, 1000, 1001, 1002, 1003, 1004, 1005])
        );
        assert_eq!((list.item_at(next, 1), list.item_at(next, 4), list.item_at(next, 9)), (None, Some(1), None));
        assert!(TallList::new(9, vec![2], 8).has_all_below(Place::default()));
    }

    proptest! {
        /// Step by step downwards every line is seen, and back up every line again; the item under the cursor is always in sight.
        #[test]
        fn every_line_can_be_read(above in 0usize..20, heights in prop::collection::vec(1usize..9, 1..12), lines in 1usize..14) {
            let list = TallList::new(above, heights, lines);
            let all = shown(&TallList::new(above, list.heights.clone(), 999), Place::default());
            for by in [1, -1] {
                let mut place = if by > 0 { Place::default() } else { list.moved(Place::default(), 999) };
                let mut seen = std::collections::BTreeSet::new();
                for _ in 0..999 {
                    let now = shown(&list, place);
                    prop_assert!(now.len() <= lines.max(above));
                    let items: Vec<Option<usize>> = (0..now.len()).map(|line| list.item_at(place, line)).collect();
                    prop_assert!(items.contains(&Some(place.at)) || list.has_all_below(place) || list.below(place) > 0);
                    for (line, item) in now.iter().zip(&items) {
                        prop_assert_eq!(*line >= 1000, item.is_some());
                    }
                    seen.extend(now);
                    place = list.moved(place, by);
                }
                prop_assert_eq!(seen.into_iter().collect::<Vec<_>>(), all.clone());
            }
        }
    }
}
