//! What a run notes so that it can be told later: the names of its packages, and what would be missed.

use std::collections::BTreeMap;

use wibbet_types::{PackageId, PlainText};

/// A line for each: the id and the name.
pub(crate) fn names_text(names: &BTreeMap<PackageId, PlainText>) -> String {
    names.iter().map(|(id, name)| format!("{id} {}\n", one_line(name))).collect()
}

/// Names out of such a text; a line that is none is left out.
pub(crate) fn read_names(text: &str) -> BTreeMap<PackageId, PlainText> {
    let name = |line: &str| {
        let (id, name) = line.split_once(' ')?;
        Some((id.parse().ok()?, PlainText::new(name)))
    };
    text.lines().filter_map(name).collect()
}

/// A line for each; nothing where it was not worked out.
pub(crate) fn missed_text(missed: Option<&[PlainText]>) -> Option<String> {
    missed.map(|missed| missed.iter().map(|words| format!("{}\n", one_line(words))).collect())
}

/// What would be missed, out of such a text.
pub(crate) fn read_missed(text: Option<&str>) -> Option<Vec<PlainText>> {
    text.map(|text| text.lines().map(PlainText::new).collect())
}

fn one_line(text: &PlainText) -> String {
    text.as_str().replace(['\n', '\r'], " ")
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_noted_is_read_again() {
        let names = [("com.corvane.tips", "Tips & tricks"), ("fer.pellmoor.tides", "潮汐 表")];
        let names: BTreeMap<PackageId, PlainText> =
            names.map(|(id, name)| (id.parse().unwrap(), PlainText::new(name))).into();
        assert_eq!(read_names(&names_text(&names)), names);
        assert!(read_names("nonsense\n\n; x\n").is_empty());
        let missed = vec![PlainText::new("stops: printing"), PlainText::new("2 lose what they need")];
        assert_eq!(read_missed(missed_text(Some(&missed)).as_deref()), Some(missed));
        assert_eq!((read_missed(None), read_missed(Some(""))), (None, Some(vec![])));
    }
}
