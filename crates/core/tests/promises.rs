//! Each promise names a test that is there.

use std::collections::BTreeSet;
use std::path::Path;

fn functions(folder: &Path, found: &mut BTreeSet<String>) {
    for entry in std::fs::read_dir(folder).unwrap().flatten() {
        let path = entry.path();
        if path.is_dir() {
            functions(&path, found);
        } else if path.extension().is_some_and(|e| e == "rs") {
            let text = std::fs::read_to_string(&path).unwrap();
            let mut is_test = false;
            for line in text.lines().map(str::trim) {
                is_test |= line.starts_with("#[test]") || line.starts_with("#[tokio::test");
                let name = line.strip_prefix("async ").unwrap_or(line).strip_prefix("fn ");
                if let Some((name, _)) = name.and_then(|rest| rest.split_once('(')) {
                    found.extend(is_test.then(|| name.to_owned()));
                    is_test = false;
                }
            }
        }
    }
}

#[test]
fn every_promise_names_a_test_that_is_there() {
    let root = Path::new(env!("CARGO_MANIFEST_DIR")).join("../..");
    let mut tests = BTreeSet::new();
    functions(&root.join("crates"), &mut tests);
    let security = std::fs::read_to_string(root.join("SECURITY.md")).unwrap();
    let rows: Vec<&str> = security.lines().filter(|line| line.starts_with("| ") && line.contains('`')).collect();
    assert!(rows.len() > 10, "{rows:#?}");
    for row in rows {
        let named: Vec<&str> = row.split('`').skip(1).step_by(2).collect();
        assert!(!named.is_empty(), "{row}");
        for name in named {
            assert!(tests.contains(name), "there is no test {name}: {row}");
        }
    }
}
