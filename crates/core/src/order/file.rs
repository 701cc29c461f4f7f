//! The form of an order file, in TOML or JSON, and what is wrong with one.

use std::collections::BTreeSet;
use std::fmt;

use serde::{Deserialize, Serialize};
use wibbet_types::PlainText;

use super::order::{End, Order, OrderInstall, OrderItem, OrderSetting, Otherwise, UserChoice, Users, Way, What};
use super::scope::Scope;
use crate::ask::{NamedSetting, SettingsTable};
use crate::device::DeviceKind;
use crate::plan::Change;
use crate::search::Search;

/// The version of the format.
pub(super) const FORMAT: u32 = 1;

/// The most bytes that an order may have; nobody writes more.
pub const LONGEST: usize = 4 << 20;

/// More settings no order has: each is asked for by itself.
const MOST_SETTINGS: usize = 200;

/// Where in an order something is wrong.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Place {
    /// Line and column, from 1 on, where they are known.
    pub at: Option<(usize, usize)>,
    /// The table, such as `item`, and which one of several, from 1 on.
    pub table: &'static str,
    /// Which of several, from 1 on.
    pub number: Option<usize>,
    /// The field.
    pub field: &'static str,
}

impl fmt::Display for Place {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        if let Some((line, column)) = self.at {
            write!(f, "line {line}, column {column}: ")?;
        }
        match self.number {
            Some(number) => write!(f, "“{}” of {} {number}", self.field, self.table),
            None => write!(f, "“{}” of [{}]", self.field, self.table),
        }
    }
}

/// A file that is no order, or not one that is asked for.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum BadOrder {
    /// It is longer than any order is.
    #[error("the order is longer than {} MB, which no order is", LONGEST >> 20)]
    TooLong,
    /// It is not of the right shape; the words say at which line and column.
    #[error("the order cannot be read: {0}")]
    Shape(String),
    /// Another version of the format.
    #[error("the order is of format {0}, and this Wibbet reads format {FORMAT}")]
    Format(u32),
    /// Something in it cannot be.
    #[error("{at} cannot be used: {why}")]
    At {
        /// Where.
        at: Place,
        /// Why.
        why: String,
    },
    /// It tells of no update break.
    #[error("the order tells of no update break: it has no [break]")]
    NoBreak,
    /// It is the record of an update break.
    #[error("the order is that of an update break, which `update-break --end --from` ends")]
    IsBreak,
}

#[derive(Serialize, Deserialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[serde(deny_unknown_fields)]
pub(super) struct OrderFile {
    /// What goes for the order as a whole.
    pub(super) order: Head,
    /// For which devices it is; every one where left out.
    #[serde(default, rename = "for", skip_serializing_if = "ScopeTable::is_for_all")]
    pub(super) scope: ScopeTable,
    /// Only of an update break.
    #[serde(rename = "break", default, skip_serializing_if = "Option::is_none")]
    pub(super) update_break: Option<BreakTable>,
    /// Apps that are installed before anything goes.
    #[serde(default, rename = "install", skip_serializing_if = "Vec::is_empty")]
    pub(super) installs: Vec<InstallTable>,
    /// What goes, and what is left alone. The first item that names a package for a user decides.
    #[serde(default, rename = "item", skip_serializing_if = "Vec::is_empty")]
    pub(super) items: Vec<ItemTable>,
    /// Settings of the device, set when its packages are as they are to be.
    #[serde(default, rename = "setting", skip_serializing_if = "Vec::is_empty")]
    pub(super) settings: Vec<SettingTable>,
    /// What is done when all is done.
    #[serde(default, skip_serializing_if = "EndTable::is_nothing")]
    pub(super) end: EndTable,
}

#[derive(Serialize, Deserialize, Default)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[serde(deny_unknown_fields)]
pub(super) struct Head {
    /// The version of the format: 1.
    pub(super) format: u32,
    /// What people call it.
    pub(super) name: String,
    /// What it is for.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub(super) purpose: String,
    /// When and on what it was made, for people.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub(super) made: String,
    /// For whom items are that do not say so: the owner where left out.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(super) users: Option<UsersForm>,
    /// What is tried where a step is refused: leave, disable, suspend, or disable,suspend.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub(super) refused: String,
    /// What becomes of what is tied otherwise than where the order was made: leave or take-out.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub(super) tied_otherwise: String,
}

/// For whom: "all", "owner", "work", or several of them, with numbers and names of users.
#[derive(Serialize, Deserialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[serde(untagged, expecting = "for whom it is: \"all\", \"owner\", \"work\", or a list of those, numbers and names")]
pub(super) enum UsersForm {
    /// One.
    One(UserForm),
    /// Several.
    Several(Vec<UserForm>),
}

#[derive(Serialize, Deserialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[serde(untagged, expecting = "a user: \"owner\", \"work\", a number or a name")]
pub(super) enum UserForm {
    /// The number that Android gives.
    Number(u32),
    /// owner, work, or a name.
    Word(String),
}

#[derive(Serialize, Deserialize, Default)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[serde(deny_unknown_fields)]
pub(super) struct ScopeTable {
    /// The makers, as the device tells them.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub(super) makers: Vec<String>,
    /// The models, as the device tells them, or the names that they are sold under.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub(super) models: Vec<String>,
    /// The kinds of device: phone, tablet, tv, other.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub(super) kinds: Vec<String>,
    /// The oldest version of Android, such as "8.1".
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub(super) android_from: String,
    /// The newest version of Android, with all its updates, such as "14".
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub(super) android_to: String,
}

impl ScopeTable {
    fn is_for_all(&self) -> bool {
        let Self { makers, models, kinds, android_from, android_to } = self;
        makers.is_empty() && models.is_empty() && kinds.is_empty() && android_from.is_empty() && android_to.is_empty()
    }
}

/// What is so of a break alone.
#[derive(Serialize, Deserialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[serde(deny_unknown_fields)]
pub(super) struct BreakTable {
    /// The id of the device, for which alone the order is.
    pub(super) device: String,
    /// Milliseconds since 1970.
    pub(super) begun: i64,
    /// The build of the system then.
    pub(super) build: String,
    /// The packages of the system that the device had.
    pub(super) packages: Vec<String>,
}

#[derive(Serialize, Deserialize, Default)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[serde(deny_unknown_fields)]
pub(super) struct ItemTable {
    /// The package, by id. Exactly one of id, search and role is given.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(super) id: Option<String>,
    /// What a search line finds among the packages in use.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(super) search: Option<String>,
    /// Whoever does something that people need, such as browser: the active one, or the only one left.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(super) role: Option<String>,
    /// uninstall, uninstall-keep-data, disable, suspend, quieten, force-stop, clear-cache, clear-data, or a way that takes root;
    /// leave for what stays; as one would mark it where left out.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub(super) way: String,
    /// For whom; for those that the order as a whole is for where left out.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(super) users: Option<UsersForm>,
    /// A search line that has to find it: it is left alone where it does not.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(super) only_if: Option<String>,
    /// A search line that must not find it: it is left alone where it does.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(super) unless: Option<String>,
    /// What tied it where the order was made, such as "role browser".
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(super) holds: Option<Vec<String>>,
    /// It goes whatever the start of the device loses with it.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub(super) despite_start: bool,
    /// Only of an update break: the state that it comes back to.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub(super) back_to: String,
    /// For people.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub(super) note: String,
}

#[derive(Serialize, Deserialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[serde(deny_unknown_fields)]
pub(super) struct InstallTable {
    /// The APK, or the folder or archive with all parts of an app. What begins with no / lies beside the order.
    pub(super) file: String,
    /// The SHA-256 of the file, in hexadecimal digits; not of a folder.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub(super) sha256: String,
}

#[derive(Serialize, Deserialize)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[serde(deny_unknown_fields)]
pub(super) struct SettingTable {
    /// The table of Android's settings: global for the device, secure and system for a user.
    pub(super) table: String,
    /// Its name there.
    pub(super) name: String,
    /// What it is to be.
    pub(super) value: String,
    /// For whom, where each user has one; for those that the order as a whole is for where left out.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(super) users: Option<UsersForm>,
    /// For people.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub(super) note: String,
}

#[derive(Serialize, Deserialize, Default)]
#[cfg_attr(test, derive(schemars::JsonSchema))]
#[serde(deny_unknown_fields)]
pub(super) struct EndTable {
    /// The device is measured before and after.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub(super) figures: bool,
    /// The device is restarted, and looked at once more.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub(super) restart: bool,
    /// So many minutes the device is watched for what fails.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(super) watch: Option<u32>,
    /// The link is closed: debugging off, this computer forgotten.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub(super) close: bool,
}

impl EndTable {
    fn is_nothing(&self) -> bool {
        let Self { figures, restart, watch, close } = self;
        !figures && !restart && watch.is_none() && !close
    }
}

/// A file as it was read, with what is needed to say where something stands.
pub(super) struct Text<'a> {
    text: &'a str,
    /// The tree with places; nothing of what is no TOML.
    tree: Option<toml::Spanned<toml::de::DeTable<'a>>>,
    pub(super) file: OrderFile,
}

impl<'a> Text<'a> {
    /// Takes a text apart: JSON where it begins with a brace, else TOML.
    pub(super) fn read(text: &'a str) -> Result<Self, BadOrder> {
        if text.len() > LONGEST {
            return Err(BadOrder::TooLong);
        }
        // A mark of the order of bytes is no part of it.
        let text = text.strip_prefix('\u{feff}').unwrap_or(text);
        let (file, tree) = if text.trim_start().starts_with('{') {
            let file: OrderFile = serde_json::from_str(text).map_err(|error| BadOrder::Shape(error.to_string()))?;
            (file, None)
        } else {
            let file: OrderFile = toml::from_str(text).map_err(|error| BadOrder::Shape(plain(&error)))?;
            (file, toml::de::DeTable::parse(text).ok())
        };
        if file.order.format != FORMAT {
            return Err(BadOrder::Format(file.order.format));
        }
        Ok(Self { text, tree, file })
    }

    /// That something cannot be, with its place.
    pub(super) fn bad(
        &self,
        table: &'static str,
        number: Option<usize>,
        field: &'static str,
        why: impl fmt::Display,
    ) -> BadOrder {
        let at = self.place(table, number, field);
        let why = PlainText::new(&why.to_string()).into_string();
        BadOrder::At { at: Place { at, table, number: number.map(|n| n + 1), field }, why }
    }

    fn place(&self, table: &str, number: Option<usize>, field: &str) -> Option<(usize, usize)> {
        let tree = self.tree.as_ref()?;
        let table = tree.get_ref().get(table)?;
        let holder = match number {
            Some(number) => table.get_ref().get(number)?,
            None => table,
        };
        let start = holder.get_ref().get(field).map_or(holder.span().start, |value| value.span().start);
        let before = self.text.get(..start)?;
        let line = before.matches('\n').count() + 1;
        let column = before.rsplit('\n').next().unwrap_or_default().chars().count() + 1;
        Some((line, column))
    }
}

/// What TOML says is wrong, without the picture of the line, which may hold anything.
fn plain(error: &toml::de::Error) -> String {
    let words = error.to_string();
    let first = words.lines().next().unwrap_or_default().trim_start_matches("TOML parse error at ").to_owned();
    PlainText::new(&format!("{first}: {}", error.message().lines().next().unwrap_or_default())).into_string()
}

/// A text of the file, made harmless; one line.
pub(super) fn shown(text: &str) -> String {
    PlainText::new(text).into_string().replace(['\t', '\n'], " ")
}

impl UsersForm {
    fn users(&self) -> Result<Users, String> {
        let forms = match self {
            Self::One(UserForm::Word(word)) if word == "all" => return Ok(Users::All),
            Self::One(one) => std::slice::from_ref(one),
            Self::Several(several) => several.as_slice(),
        };
        if forms.is_empty() {
            return Err("nobody is named".into());
        }
        let choice = |form: &UserForm| match form {
            UserForm::Number(number) => Ok(UserChoice::Number(wibbet_types::UserId::new(*number))),
            UserForm::Word(word) => match word.as_str() {
                "all" => Err("“all” stands alone".to_owned()),
                "owner" => Ok(UserChoice::Owner),
                "work" => Ok(UserChoice::Work),
                name => Ok(UserChoice::Named(shown(name))),
            },
        };
        forms.iter().map(choice).collect::<Result<_, _>>().map(Users::Some)
    }

    fn of(users: &Users) -> Self {
        match users {
            Users::All => Self::One(UserForm::Word("all".into())),
            Users::Some(choices) => {
                let form = |choice: &UserChoice| match choice {
                    UserChoice::Number(user) => UserForm::Number(user.number()),
                    other => UserForm::Word(other.to_string()),
                };
                match choices.as_slice() {
                    [one] if !matches!(one, UserChoice::Number(_)) => Self::One(form(one)),
                    several => Self::Several(several.iter().map(form).collect()),
                }
            }
        }
    }
}

/// Whether a search line can be read whole.
fn search_line(line: &str) -> Result<String, String> {
    if PlainText::new(line).as_str() != line {
        return Err("the search line has signs in it that cannot be shown".into());
    }
    let read = Search::read_strict(line);
    match &read.trouble {
        Some(trouble) => {
            let part = line.get(trouble.span.clone()).unwrap_or_default();
            Err(format!("in the search line, at “{part}”: {}", trouble.kind))
        }
        None if read.is_empty() => Err("the search line is empty".into()),
        None => Ok(line.to_owned()),
    }
}

/// An order out of its file.
///
/// # Errors
/// When it is none, with the place of what is wrong; when it is the record of an update break.
pub fn read_order(text: &str) -> Result<Order, BadOrder> {
    let read = Text::read(text)?;
    let file = &read.file;
    if file.update_break.is_some() {
        return Err(BadOrder::IsBreak);
    }
    let head = &file.order;
    if head.name.trim().is_empty() {
        return Err(read.bad("order", None, "name", "it is empty"));
    }
    let users = head.users.as_ref().map_or_else(|| Ok(Users::default()), UsersForm::users);
    let on_refusal = if head.refused.is_empty() { Ok(Default::default()) } else { head.refused.parse() };
    let otherwise = match head.tied_otherwise.as_str() {
        "" => Some(Otherwise::default()),
        word => Otherwise::from_name(word),
    };
    let mut order = Order {
        name: shown(&head.name),
        purpose: shown(&head.purpose),
        made: shown(&head.made),
        scope: scope(&read)?,
        users: users.map_err(|why| read.bad("order", None, "users", why))?,
        on_refusal: on_refusal.map_err(|why| read.bad("order", None, "refused", why))?,
        otherwise: otherwise.ok_or_else(|| read.bad("order", None, "tied_otherwise", "it is leave or take-out"))?,
        installs: Vec::new(),
        items: Vec::new(),
        settings: Vec::new(),
        end: End { figures: file.end.figures, restart: file.end.restart, watch: file.end.watch, close: file.end.close },
    };
    if file.end.watch.is_some_and(|minutes| minutes == 0 || minutes > 24 * 60) {
        return Err(read.bad("end", None, "watch", "it is a number of minutes, from 1 to 1440"));
    }
    for (n, table) in file.installs.iter().enumerate() {
        let bad = |field, why: &str| read.bad("install", Some(n), field, why);
        if table.file.trim().is_empty() || PlainText::new(&table.file).as_str() != table.file {
            return Err(bad("file", "it names no file"));
        }
        let digits = table.sha256.len() == 64 && table.sha256.bytes().all(|digit| digit.is_ascii_hexdigit());
        if !table.sha256.is_empty() && !digits {
            return Err(bad("sha256", "it has 64 hexadecimal digits"));
        }
        order.installs.push(OrderInstall { file: table.file.clone(), sha256: table.sha256.to_lowercase() });
    }
    for (n, table) in file.items.iter().enumerate() {
        order.items.push(item(&read, n, table)?);
    }
    for (n, table) in file.settings.iter().enumerate() {
        let one = setting(&read, n, table)?;
        let same = |other: &OrderSetting| other.setting == one.setting && other.users == one.users;
        if order.settings.iter().any(same) {
            return Err(read.bad("setting", Some(n), "name", "it is set further up already"));
        }
        order.settings.push(one);
    }
    if order.settings.len() > MOST_SETTINGS {
        return Err(BadOrder::Shape(format!("it has more than {MOST_SETTINGS} [[setting]], which no order has")));
    }
    if order.items.is_empty() && order.installs.is_empty() && order.settings.is_empty() {
        return Err(BadOrder::Shape(
            "it has no [[item]], no [[install]] and no [[setting]]: nothing would be done".into(),
        ));
    }
    Ok(order)
}

fn scope(read: &Text<'_>) -> Result<Scope, BadOrder> {
    let table = &read.file.scope;
    let release = |field: &'static str, text: &str| match text {
        "" => Ok(None),
        text => text.parse().map(Some).map_err(|why: super::scope::BadRelease| read.bad("for", None, field, why)),
    };
    let kind = |name: &String| match DeviceKind::from_name(name) {
        DeviceKind::Unknown => {
            Err(read.bad("for", None, "kinds", format!("“{name}” is none of phone, tablet, tv, other")))
        }
        kind => Ok(kind),
    };
    Ok(Scope {
        makers: table.makers.iter().map(|maker| shown(maker)).collect(),
        models: table.models.iter().map(|model| shown(model)).collect(),
        kinds: table.kinds.iter().map(kind).collect::<Result<_, _>>()?,
        from: release("android_from", &table.android_from)?,
        to: release("android_to", &table.android_to)?,
    })
}

fn setting(read: &Text<'_>, n: usize, table: &SettingTable) -> Result<OrderSetting, BadOrder> {
    let bad = |field, why: &dyn fmt::Display| read.bad("setting", Some(n), field, why);
    let of = SettingsTable::from_name(&table.table);
    let of = of.ok_or_else(|| bad("table", &"it is global, secure or system"))?;
    let setting = NamedSetting::new(of, &table.name).map_err(|why| bad("name", &why))?;
    NamedSetting::is_fit(&table.value).map_err(|why| bad("value", &why))?;
    if table.users.is_some() && !setting.is_of_a_user() {
        return Err(bad("users", &"what is global is of the device"));
    }
    let users = table.users.as_ref().map(UsersForm::users).transpose().map_err(|why| bad("users", &why))?;
    Ok(OrderSetting { setting, value: table.value.clone(), users, note: shown(&table.note) })
}

fn item(read: &Text<'_>, n: usize, table: &ItemTable) -> Result<OrderItem, BadOrder> {
    let bad = |field, why: &dyn fmt::Display| read.bad("item", Some(n), field, why);
    let line =
        |field, line: &Option<String>| line.as_deref().map(search_line).transpose().map_err(|why| bad(field, &why));
    let what = match (&table.id, &table.search, &table.role) {
        (Some(id), None, None) => What::Package(id.parse().map_err(|why: wibbet_types::BadId| bad("id", &why))?),
        (None, Some(text), None) => What::Found(search_line(text).map_err(|why| bad("search", &why))?),
        (None, None, Some(role)) if !role.trim().is_empty() => What::Role(shown(role.trim())),
        (None, None, Some(_)) => return Err(bad("role", &"it is empty")),
        _ => return Err(bad("id", &"an item has exactly one of id, search and role")),
    };
    let way = match table.way.as_str() {
        "" => Way::Usual,
        "leave" => Way::Leave,
        word => match word.parse::<Change>() {
            Ok(way) if way.is_a_way() => Way::By(way),
            _ => {
                let ways = Change::TAKE_OUT.iter().chain(&Change::ACTS).chain(&Change::BY_ROOT);
                let names: Vec<&str> = ways.map(|way| way.name()).chain(["leave"]).collect();
                return Err(bad("way", &format!("“{}” is none of {}", shown(word), names.join(", "))));
            }
        },
    };
    if !table.back_to.is_empty() {
        return Err(bad("back_to", &"it is of the order of an update break"));
    }
    Ok(OrderItem {
        what,
        way,
        users: table.users.as_ref().map(UsersForm::users).transpose().map_err(|why| bad("users", &why))?,
        only_if: line("only_if", &table.only_if)?,
        unless: line("unless", &table.unless)?,
        holds: table.holds.as_ref().map(|holds| holds.iter().map(|hold| shown(hold)).collect::<BTreeSet<_>>()),
        despite_start: table.despite_start,
        note: shown(&table.note),
    })
}

/// An order as its file.
fn file_of(order: &Order) -> OrderFile {
    let item = |item: &OrderItem| {
        let (id, search, role) = match &item.what {
            What::Package(id) => (Some(id.to_string()), None, None),
            What::Found(line) => (None, Some(line.clone()), None),
            What::Role(role) => (None, None, Some(role.clone())),
        };
        ItemTable {
            id,
            search,
            role,
            way: match item.way {
                Way::Usual => String::new(),
                Way::By(way) => way.to_string(),
                Way::Leave => "leave".into(),
            },
            users: item.users.as_ref().map(UsersForm::of),
            only_if: item.only_if.clone(),
            unless: item.unless.clone(),
            holds: item.holds.as_ref().map(|holds| holds.iter().cloned().collect()),
            despite_start: item.despite_start,
            back_to: String::new(),
            note: item.note.clone(),
        }
    };
    let install = |one: &OrderInstall| InstallTable { file: one.file.clone(), sha256: one.sha256.clone() };
    let setting = |one: &OrderSetting| SettingTable {
        table: one.setting.table().to_string(),
        name: one.setting.name().to_owned(),
        value: one.value.clone(),
        users: one.users.as_ref().map(UsersForm::of),
        note: one.note.clone(),
    };
    let scope = &order.scope;
    OrderFile {
        order: Head {
            format: FORMAT,
            name: order.name.clone(),
            purpose: order.purpose.clone(),
            made: order.made.clone(),
            users: (order.users != Users::default()).then(|| UsersForm::of(&order.users)),
            refused: if order.on_refusal == Default::default() { String::new() } else { order.on_refusal.to_string() },
            tied_otherwise: match order.otherwise {
                Otherwise::Leave => String::new(),
                other => other.to_string(),
            },
        },
        scope: ScopeTable {
            makers: scope.makers.clone(),
            models: scope.models.clone(),
            kinds: scope.kinds.iter().map(|kind| kind.name().to_owned()).collect(),
            android_from: scope.from.as_ref().map_or_else(String::new, ToString::to_string),
            android_to: scope.to.as_ref().map_or_else(String::new, ToString::to_string),
        },
        update_break: None,
        installs: order.installs.iter().map(install).collect(),
        items: order.items.iter().map(item).collect(),
        settings: order.settings.iter().map(setting).collect(),
        end: EndTable {
            figures: order.end.figures,
            restart: order.end.restart,
            watch: order.end.watch,
            close: order.end.close,
        },
    }
}

/// An order as TOML.
pub fn write_order(order: &Order) -> String {
    // Nothing in it is of a kind that TOML does not have.
    toml::to_string(&file_of(order)).unwrap_or_default()
}

/// An order as JSON, of the same form.
pub fn write_order_as_json(order: &Order) -> String {
    serde_json::to_string_pretty(&file_of(order)).map(|text| text + "\n").unwrap_or_default()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::testing;
    use proptest::prelude::*;

    /// What this version of Wibbet says an order may be.
    const SCHEMA: &str = include_str!("../../../../docs/order.schema.json");

    const WHOLE: &str = r#"
[order]
format = 1
name = "Crew phones"
purpose = "what nobody needs on board"
made = "2026-11-28 on Corvane Tarn 5"
users = ["owner", "work", 11, "Pier"]
refused = "disable,suspend"
tied_otherwise = "take-out"

[for]
makers = ["Corvane"]
models = ["Tarn 5"]
kinds = ["phone"]
android_from = "8.1"
android_to = "15"

[[install]]
file = "pier-keys.apk"
sha256 = "00112233445566778899AABBCCDDEEFF00112233445566778899aabbccddeeff"

[[item]]
id = "com.corvane.wallet"
way = "leave"
note = "the crew pays with it"

[[item]]
id = "com.corvane.tips"
way = "uninstall"
users = "all"
only_if = ":free"
unless = ":last :role=keyboard"
holds = []
despite_start = true

[[item]]
search = ":user :idle>90d"

[[item]]
role = "browser"
way = "disable"
users = [0]
holds = ["role browser"]

[[setting]]
table = "global"
name = "window_animation_scale"
value = "0.5"

[[setting]]
table = "system"
name = "screen_off_timeout"
value = "120000"
users = ["owner", 11]
note = "two minutes"

[end]
figures = true
restart = true
watch = 5
close = true
"#;

    #[test]
    fn an_order_is_read_whole_and_written_again() {
        let order = read_order(WHOLE).unwrap();
        assert_eq!(order.name, "Crew phones");
        assert_eq!(order.scope.kinds, [DeviceKind::Phone]);
        assert_eq!(order.installs[0].sha256, order.installs[0].sha256.to_lowercase());
        assert_eq!(order.items[0].way, Way::Leave);
        assert_eq!(order.items[1].what, What::Package(testing::id("com.corvane.tips")));
        assert_eq!(order.items[1].users, Some(Users::All));
        assert_eq!(order.items[1].holds, Some(BTreeSet::new()));
        assert_eq!((order.items[2].way, order.items[2].holds.as_ref()), (Way::Usual, None));
        assert_eq!(order.items[3].users, Some(Users::Some(vec![UserChoice::Number(wibbet_types::UserId::OWNER)])));
        assert_eq!(order.settings[0].setting.to_string(), "global window_animation_scale");
        assert!(order.settings[0].users.is_none() && order.settings[1].users.is_some());
        assert_eq!(order.end, End { figures: true, restart: true, watch: Some(5), close: true });
        assert_eq!(read_order(&write_order(&order)), Ok(order.clone()));
        assert_eq!(read_order(&write_order_as_json(&order)), Ok(order.clone()));
        assert_eq!(read_order(&format!("\u{feff}{}", write_order(&order))), Ok(order));
    }

    /// Each mistake with what is said of it: the line, and what would be right.
    #[test]
    fn mistakes_are_told_with_their_place() {
        for (from, to, says) in [
            ("format = 1", "format = 2", "format 2"),
            ("format = 1", "format = ", "line 3, column 10"),
            ("name = \"Crew phones\"", "name = \" \"", "line 4, column 8: “name” of [order]"),
            ("name = \"Crew phones\"", "nam = \"Crew phones\"", "line 4, column 1"),
            ("\"Pier\"]", "\"all\"]", "line 7, column 9: “users” of [order] cannot be used: “all” stands alone"),
            ("users = \"all\"", "users = []", "“users” of item 2 cannot be used: nobody is named"),
            ("users = \"all\"", "users = true", "for whom it is"),
            ("\"disable,suspend\"", "\"reboot\"", "“refused” of [order]"),
            ("\"take-out\"", "\"melt\"", "leave or take-out"),
            ("\"8.1\"", "\"Oreo\"", "line 15, column 16: “android_from” of [for]"),
            ("kinds = [\"phone\"]", "kinds = [\"fridge\"]", "“fridge” is none of phone"),
            ("00112233", "0011223", "“sha256” of install 1"),
            ("pier-keys.apk", "", "“file” of install 1"),
            ("\"com.corvane.tips\"", "\"com.corvane.tips; reboot\"", "line 28, column 6: “id” of item 2"),
            (
                "\"uninstall\"",
                "\"reinstall\"",
                "line 29, column 7: “way” of item 2 cannot be used: “reinstall” is none of uninstall",
            ),
            (":free", ":fre", "“only_if” of item 2 cannot be used: in the search line, at “:fre”"),
            (":user :idle>90d", "", "the search line is empty"),
            (":user :idle>90d", "a\\u001b[2J", "signs in it that cannot be shown"),
            ("pier-keys.apk", "a\\u0007", "“file” of install 1"),
            ("role = \"browser\"", "role = \"browser\"\nid = \"a.b\"", "exactly one of"),
            ("role = \"browser\"", "role = \"\"", "“role” of item 4 cannot be used: it is empty"),
            ("role = \"browser\"\n", "", "exactly one of"),
            (
                "\"global\"",
                "\"vendor\"",
                "line 46, column 9: “table” of setting 1 cannot be used: it is global, secure or system",
            ),
            ("window_animation_scale", "adb_enabled", "“name” of setting 1 cannot be used: it switches debugging"),
            ("window_animation_scale", "x; reboot", "“name” of setting 1"),
            ("\"0.5\"", "\"a\\u001b[2J\"", "“value” of setting 1"),
            ("value = \"0.5\"", "value = \"0.5\"\nusers = \"all\"", "what is global is of the device"),
            (
                "\"system\"\nname = \"screen_off_timeout\"\nvalue = \"120000\"\nusers = [\"owner\", 11]",
                "\"global\"\nname = \"window_animation_scale\"\nvalue = \"1\"",
                "set further up already",
            ),
            ("watch = 5", "watch = 0", "“watch” of [end]"),
            ("watch = 5", "watch = 5\nreboot = true", "unknown field `reboot`"),
            ("[end]", "[[item]]\nid = \"a.b\"\nback_to = \"x\"\n[end]", "update break"),
        ] {
            assert!(WHOLE.contains(from), "{from}");
            let error = read_order(&WHOLE.replacen(from, to, 1)).unwrap_err().to_string();
            assert!(error.contains(says), "{from} → {to}: {error}");
            assert!(!error.contains('\n'), "{error}");
        }
        assert!(
            read_order("[order]\nformat = 1\nname = \"x\"\n")
                .unwrap_err()
                .to_string()
                .contains("nothing would be done")
        );
        assert!(
            read_order("{\"order\": {\"format\": 1, \"name\": \"x\"},\n\"item\": 7}")
                .unwrap_err()
                .to_string()
                .contains("line 2")
        );
        let break_file =
            "[order]\nformat = 1\nname = \"x\"\n[break]\ndevice = \"S\"\nbegun = 1\nbuild = \"b\"\npackages = []\n";
        assert_eq!(read_order(break_file), Err(BadOrder::IsBreak));
        assert_eq!(read_order(&" ".repeat(LONGEST + 1)), Err(BadOrder::TooLong));
    }

    /// The example in the documentation is an order, with everything in it.
    #[test]
    fn the_example_of_the_documentation_is_an_order() {
        let page = include_str!("../../../../docs/order.md");
        let example = page.split("```toml\n").nth(1).and_then(|rest| rest.split("```").next()).unwrap();
        let order = read_order(&example.replace("\"…\"", &format!("\"{}\"", "ab".repeat(32)))).unwrap();
        assert_eq!((order.items.len(), order.installs.len(), order.end.watch), (4, 1, Some(5)));
        assert!(order.items[3].only_if.is_some() && order.items[3].unless.is_some());
        for field in [
            "purpose",
            "made",
            "users",
            "refused",
            "tied_otherwise",
            "makers",
            "models",
            "kinds",
            "android_from",
            "android_to",
        ] {
            assert!(example.contains(&format!("{field} = ")), "{field}");
        }
    }

    /// The schema in the documentation is the one of the code. `UPDATE_SCHEMA=1` writes it.
    #[test]
    fn the_schema_is_that_of_the_code() {
        let schema = serde_json::to_string_pretty(&schemars::schema_for!(OrderFile)).unwrap() + "\n";
        if std::env::var_os("UPDATE_SCHEMA").is_some() {
            let file = concat!(env!("CARGO_MANIFEST_DIR"), "/../../docs/order.schema.json");
            std::fs::write(file, &schema).unwrap();
        } else {
            assert_eq!(SCHEMA, schema, "UPDATE_SCHEMA=1 cargo test -p wibbet-core the_schema writes it");
        }
    }

    proptest! {
        #[test]
        fn any_text_is_an_order_or_none(text in "\\PC{0,200}") {
            let _ = read_order(&text);
        }

        #[test]
        fn any_change_of_an_order_is_read_or_told(at in 0..WHOLE.len(), with in "\\PC{0,3}", drop in 0..6_usize) {
            let (from, to) = (at, (at + drop).min(WHOLE.len()));
            if let Ok(order) = read_order(&format!("{}{with}{}", &WHOLE[..from], &WHOLE[to..])) {
                prop_assert_eq!(read_order(&write_order(&order)), Ok(order));
            }
        }
    }
}
