//! Lists of packages as people keep them: ids a line, CSV, JSON, trays. They become items of an order, and orders become lists.

use wibbet_types::PlainText;

use super::file::{BadOrder, FORMAT, read_order};
use super::order::{Order, OrderItem, Users, Way, What};
use crate::catalog::IdList;
use crate::plan::{BadTray, Change, read_tray};

/// The columns of a list in CSV; the first is needed.
pub const COLUMNS: [&str; 6] = ["id", "way", "users", "only_if", "unless", "note"];

/// A list that cannot be read.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum BadList {
    /// It is an order, or a list in JSON, and not a right one.
    #[error(transparent)]
    Order(#[from] BadOrder),
    /// It is a tray, and not a right one.
    #[error(transparent)]
    Tray(#[from] BadTray),
    /// It is CSV, and not right.
    #[error("line {line} of the list cannot be used: {why}")]
    Csv {
        /// The line, from 1 on.
        line: u64,
        /// Why.
        why: String,
    },
    /// Nothing in it is a package.
    #[error("the list names no package{}", if .0.is_empty() { String::new() } else { format!("; there is {}", .0) })]
    Nothing(String),
}

/// What was read out of a list.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct List {
    /// The order that it is or becomes; its name is empty where the list has none.
    pub order: Order,
    /// Words that can be no ids, of a plain list.
    pub others: Vec<String>,
}

/// Reads a list, whatever its form: an order in TOML or JSON, a list in JSON (ids, or items as an order has them), CSV with a head that
/// names a column `id`, a tray (`WAY USER ID` a line), or ids.
///
/// # Errors
/// When it is of one of these forms and not a right one, or names no package.
pub fn read_list(text: &str) -> Result<List, BadList> {
    let text = text.strip_prefix('\u{feff}').unwrap_or(text);
    let begin = text.trim_start();
    let in_list = begin.strip_prefix('[').map(|rest| rest.trim_start().starts_with(['"', '{', ']'])).unwrap_or(false);
    if in_list {
        return Ok(List { order: of_json(text)?, others: Vec::new() });
    }
    if begin.starts_with('{') || text.lines().any(|line| line.trim() == "[order]") {
        return Ok(List { order: read_order(text)?, others: Vec::new() });
    }
    let first = text.lines().find(|line| !line.trim().is_empty() && !line.trim_start().starts_with('#')).unwrap_or("");
    if let Some(delimiter) = delimiter_of(first) {
        return Ok(List { order: of_csv(text, delimiter)?, others: Vec::new() });
    }
    if first.split_whitespace().next().is_some_and(|word| word.parse::<Change>().is_ok()) {
        let tray = read_tray(text)?.into_iter();
        let made = tray.map(|item| super::make::Made {
            id: item.id,
            user: item.user,
            way: item.way,
            holds: None,
            label: String::new(),
        });
        return Ok(List { order: Order::of("", made, None), others: Vec::new() });
    }
    let list = IdList::read(text);
    if list.ids.is_empty() {
        let others: Vec<&str> = list.others.iter().take(3).map(String::as_str).collect();
        return Err(BadList::Nothing(PlainText::new(&others.join(", ")).into_string()));
    }
    let items = list.ids.into_iter().map(|id| bare(What::Package(id))).collect();
    Ok(List { order: Order { items, ..Order::default() }, others: list.others })
}

fn bare(what: What) -> OrderItem {
    let (way, note) = (Way::Usual, String::new());
    OrderItem { what, way, users: None, only_if: None, unless: None, holds: None, despite_start: false, note }
}

/// A list in JSON: its items are read as those of an order.
fn of_json(text: &str) -> Result<Order, BadOrder> {
    let shape = |error: serde_json::Error| BadOrder::Shape(PlainText::new(&error.to_string()).into_string());
    let items: Vec<serde_json::Value> = serde_json::from_str(text).map_err(shape)?;
    let item = |value: serde_json::Value| match value {
        serde_json::Value::String(id) => serde_json::json!({ "id": id }),
        other => other,
    };
    let items: Vec<serde_json::Value> = items.into_iter().map(item).collect();
    let whole = serde_json::json!({ "order": { "format": FORMAT, "name": "list" }, "item": items });
    read_order(&whole.to_string()).map(|order| Order { name: String::new(), ..order })
}

/// What parts the cells of a line of heads; nothing where it is none.
fn delimiter_of(head: &str) -> Option<u8> {
    [b',', b';', b'\t'].into_iter().find(|delimiter| {
        let cells: Vec<String> =
            head.split(char::from(*delimiter)).map(|cell| cell.trim().trim_matches('"').to_lowercase()).collect();
        cells.iter().any(|cell| cell == "id") && (cells.len() > 1 || *delimiter == b',')
    })
}

fn of_csv(text: &str, delimiter: u8) -> Result<Order, BadList> {
    let mut reader = csv::ReaderBuilder::new()
        .delimiter(delimiter)
        .comment(Some(b'#'))
        .flexible(true)
        .trim(csv::Trim::All)
        .from_reader(text.as_bytes());
    let bad = |error: csv::Error| BadList::Csv {
        line: error.position().map_or(0, csv::Position::line),
        why: PlainText::new(&error.to_string()).into_string(),
    };
    let heads = reader.headers().map_err(bad)?.clone();
    let column = |name: &str| heads.iter().position(|head| head.eq_ignore_ascii_case(name));
    let columns = COLUMNS.map(column);
    let mut items = Vec::new();
    let mut lines = Vec::new();
    for record in reader.records() {
        let record = record.map_err(bad)?;
        let cell = |n: usize| columns[n].and_then(|at| record.get(at)).unwrap_or_default();
        if cell(0).is_empty() {
            continue;
        }
        let mut item = serde_json::Map::new();
        for (n, name) in COLUMNS.iter().enumerate().filter(|(n, _)| !cell(*n).is_empty()) {
            let value = match *name {
                "users" => users_cell(cell(n)),
                _ => cell(n).into(),
            };
            item.insert((*name).to_owned(), value);
        }
        lines.push(line_of(text, record.position()));
        items.push(serde_json::Value::Object(item));
    }
    if items.is_empty() {
        return Err(BadList::Nothing(String::new()));
    }
    let whole = serde_json::json!({ "order": { "format": FORMAT, "name": "list" }, "item": items });
    match read_order(&whole.to_string()) {
        Ok(order) => Ok(Order { name: String::new(), ..order }),
        // The number of the item is that of a line here.
        Err(BadOrder::At { at, why }) => {
            let line = at.number.and_then(|number| lines.get(number - 1)).copied().unwrap_or(0);
            Err(BadList::Csv { line, why: format!("“{}”: {why}", at.field) })
        }
        Err(other) => Err(other.into()),
    }
}

/// The line of a record: where it is looked for from, blank lines and remarks come first.
fn line_of(text: &str, position: Option<&csv::Position>) -> u64 {
    let Some(position) = position else { return 0 };
    let rest = usize::try_from(position.byte()).ok().and_then(|at| text.get(at..)).unwrap_or_default();
    let skipped = rest.lines().take_while(|line| line.trim().is_empty() || line.starts_with('#')).count();
    position.line() + skipped as u64
}

/// `all`, `owner`, `owner, work, 11`.
fn users_cell(cell: &str) -> serde_json::Value {
    let one = |word: &str| match word.parse::<u32>() {
        Ok(number) => serde_json::Value::from(number),
        Err(_) => serde_json::Value::from(word),
    };
    let words: Vec<&str> = cell.split(',').map(str::trim).filter(|word| !word.is_empty()).collect();
    match words.as_slice() {
        [word] => one(word),
        several => several.iter().map(|word| one(word)).collect(),
    }
}

/// The ids of an order, one a line, with what people know them by behind them. What it finds by search or role stands there as a remark.
pub fn write_ids(order: &Order) -> String {
    let mut text = format!("# {}\n", order.name);
    for item in &order.items {
        let note = if item.note.is_empty() { String::new() } else { format!("  # {}", item.note) };
        match (&item.what, item.way) {
            (_, Way::Leave) => text += &format!("# stays: {}{note}\n", item.what),
            (What::Package(id), _) => text += &format!("{id}{note}\n"),
            (other, _) => text += &format!("# {other}{note}\n"),
        }
    }
    text
}

/// An order as CSV, as far as that goes: what it finds by search or role, and what holds for it as a whole, is left out.
pub fn write_csv(order: &Order) -> String {
    let mut writer = csv::WriterBuilder::new().terminator(csv::Terminator::Any(b'\n')).from_writer(Vec::new());
    let mut rows = vec![COLUMNS.map(str::to_owned)];
    for item in &order.items {
        let What::Package(id) = &item.what else { continue };
        let way = match item.way {
            Way::Usual => String::new(),
            Way::By(way) => way.to_string(),
            Way::Leave => "leave".to_owned(),
        };
        let users = item.users.as_ref().unwrap_or(&order.users);
        rows.push([
            id.to_string(),
            way,
            if *users == Users::default() { String::new() } else { users.to_string() },
            item.only_if.clone().unwrap_or_default(),
            item.unless.clone().unwrap_or_default(),
            item.note.clone(),
        ]);
    }
    for row in rows {
        // Into memory: that does not fail.
        let _ = writer.write_record(row);
    }
    String::from_utf8(writer.into_inner().unwrap_or_default()).unwrap_or_default()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::order::{UserChoice, write_order, write_order_as_json};
    use proptest::prelude::*;
    use wibbet_types::UserId;

    fn told(text: &str) -> Vec<String> {
        let list = read_list(text).unwrap_or_else(|error| panic!("{text}: {error}"));
        let users = |item: &OrderItem| item.users.as_ref().unwrap_or(&list.order.users).to_string();
        list.order.items.iter().map(|item| format!("{} {:?} {}", item.what, item.way, users(item))).collect()
    }

    #[test]
    fn lists_of_every_form() {
        let usual = ["com.a Usual owner", "com.b Usual owner"];
        for text in [
            "com.a\ncom.b # why\n",
            "package:/system/app/A/A.apk=com.a, com.b",
            "[\"com.a\", \"com.b\"]",
            " [ {\"id\": \"com.a\"}, \"com.b\" ]",
            "id\ncom.a\ncom.b\n",
            "name;ID\nA;com.a\nB;com.b\n",
            "\u{feff}# mine\n\"id\"\t\"label\"\ncom.a\tA\n\ncom.b\tB\n",
            "[order]\nformat = 1\nname = \"x\"\n[[item]]\nid = \"com.a\"\n[[item]]\nid = \"com.b\"\n",
        ] {
            assert_eq!(told(text), usual, "{text}");
        }
        let ways = "id,way,users,only_if,note\ncom.a,disable,\"owner, 11\",:free,Tips\ncom.b,leave,all,,\n";
        assert_eq!(told(ways), ["com.a By(Disable) owner, 11", "com.b Leave all"]);
        assert_eq!(told("disable 0 com.a\nuninstall 10 com.b"), ["com.a By(Disable) owner", "com.b By(Uninstall) 10"]);
        assert_eq!(read_list("com.a nonsense").unwrap().others, ["nonsense"]);
    }

    #[test]
    fn a_wrong_list_is_told_with_its_line() {
        for (text, says) in [
            ("", "names no package"),
            ("hello world", "there is hello, world"),
            ("id,way\ncom.a,disable\n\ncom.b,melt\n", "line 4 of the list cannot be used: “way”"),
            ("id,only_if\ncom.a,:fre\n", "line 2 of the list cannot be used: “only_if”"),
            ("id\ncom a\n", "line 2"),
            ("id,way\n", "names no package"),
            ("[\"com.a\", 7]", "invalid type"),
            ("[\"com.a\"", "EOF"),
            ("disable 0 com.a\nfly 0 com.b", "line 2"),
            ("{\"order\": 1}", "invalid type"),
        ] {
            let error = read_list(text).unwrap_err().to_string();
            assert!(error.contains(says), "{text}: {error}");
        }
    }

    #[test]
    fn an_order_becomes_a_list_and_is_read_again() {
        let text = "id,way,users,only_if,unless,note\ncom.a,disable,\"owner, 11\",:free,,\"Tips, and more\"\ncom.b,,,,:last,\ncom.c,leave,all,,,\n";
        let order = Order { name: "x".into(), ..read_list(text).unwrap().order };
        assert_eq!(write_csv(&order), text);
        assert_eq!(write_ids(&order), "# x\ncom.a  # Tips, and more\ncom.b\n# stays: com.c\n");
        let users = order.items[0].users.clone();
        assert_eq!(users, Some(Users::Some(vec![UserChoice::Owner, UserChoice::Number(UserId::new(11))])));
        assert_eq!(read_list(&write_order(&order)).unwrap().order, order);
        assert_eq!(read_list(&write_order_as_json(&order)).unwrap().order, order);
    }

    proptest! {
        #[test]
        fn any_text_is_a_list_or_none(text in "\\PC{0,60}(\n\\PC{0,40}){0,4}") {
            let _ = read_list(&text);
            let _ = read_list(&format!("id,way,users\n{text}"));
            let _ = read_list(&format!("[\"com.a\",{text}]"));
        }
    }
}
