//! Reading a search line.

use std::ops::Range;

use super::ast::{Compare, Expr, Given, Op, Word};
use super::error::SearchError;
use super::facts::{FACTS, FIELDS, Field, FieldKind};

/// Parentheses within parentheses, at most.
const DEEPEST: usize = 32;

/// Parts that are looked at; nobody types more.
const MOST: usize = 200;

struct Parser<'a> {
    line: &'a str,
    at: usize,
    parts: usize,
    trouble: Option<SearchError>,
}

pub(crate) fn parse(line: &str) -> (Option<Expr>, Option<SearchError>) {
    let mut parser = Parser { line, at: 0, parts: 0, trouble: None };
    let mut all = Vec::new();
    loop {
        all.extend(parser.line(0));
        match parser.peek() {
            Some(')') => {
                let at = parser.at..parser.at + 1;
                parser.complain(at, "there is no “(” for this".into());
                parser.at += 1;
            }
            _ => break,
        }
    }
    let expr = if all.len() > 1 { Some(Expr::All(all)) } else { all.pop() };
    (expr, parser.trouble)
}

/// Ends a word that is not quoted.
pub(crate) fn ends_word(c: char) -> bool {
    c.is_whitespace() || matches!(c, '(' | ')' | '|')
}

impl Parser<'_> {
    fn complain(&mut self, at: Range<usize>, words: String) {
        self.trouble.get_or_insert(SearchError { at, words });
    }

    /// The next character that is no blank; the place moves on to it.
    fn peek(&mut self) -> Option<char> {
        let rest = &self.line[self.at..];
        self.at += rest.len() - rest.trim_start().len();
        self.line[self.at..].chars().next()
    }

    fn line(&mut self, depth: usize) -> Option<Expr> {
        let mut any = Vec::new();
        any.extend(self.all(depth));
        while self.peek() == Some('|') {
            self.at += 1;
            any.extend(self.all(depth));
        }
        if any.len() > 1 { Some(Expr::Any(any)) } else { any.pop() }
    }

    fn all(&mut self, depth: usize) -> Option<Expr> {
        let mut all = Vec::new();
        while let Some(c) = self.peek() {
            if matches!(c, '|' | ')') {
                break;
            }
            all.extend(self.part(depth));
        }
        if all.len() > 1 { Some(Expr::All(all)) } else { all.pop() }
    }

    fn part(&mut self, depth: usize) -> Option<Expr> {
        let start = self.at;
        let mut not = false;
        while self.peek() == Some('!') {
            self.at += 1;
            not = !not;
        }
        self.parts += 1;
        let inner = match self.peek() {
            None | Some('|' | ')') => None,
            Some(_) if self.parts > MOST || depth > DEEPEST => {
                self.complain(start..self.line.len(), format!("too long: {MOST} parts at most"));
                self.at = self.line.len();
                None
            }
            Some('(') => {
                let open = self.at;
                self.at += 1;
                let inner = self.line(depth + 1);
                if self.peek() == Some(')') {
                    self.at += 1;
                } else {
                    self.complain(open..open + 1, "“)” is missing for this".into());
                }
                inner
            }
            Some(':') => self.term(),
            Some('"') => {
                let text = self.quoted();
                (!text.is_empty()).then(|| Expr::Word(Word::new(&text, true)))
            }
            Some(_) => {
                let word = self.word();
                Some(Expr::Word(Word::new(&word, false)))
            }
        };
        inner.map(|inner| if not { Expr::Not(Box::new(inner)) } else { inner })
    }

    fn word(&mut self) -> String {
        let rest = &self.line[self.at..];
        let end = rest.find(ends_word).unwrap_or(rest.len()).max(1);
        let end = (end..=rest.len()).find(|n| rest.is_char_boundary(*n)).unwrap_or(rest.len());
        self.at += end;
        rest[..end].to_owned()
    }

    /// Text between quotes; the last one may be missing while it is typed.
    fn quoted(&mut self) -> String {
        let rest = &self.line[self.at + 1..];
        let end = rest.find('"').unwrap_or(rest.len());
        self.at += 1 + (end + 1).min(rest.len());
        rest[..end].to_owned()
    }

    /// `:fact` or `:field>value`.
    fn term(&mut self) -> Option<Expr> {
        let start = self.at;
        self.at += 1;
        let rest = &self.line[self.at..];
        let end = rest.find(|c: char| ends_word(c) || matches!(c, '<' | '>' | '=')).unwrap_or(rest.len());
        let name = rest[..end].to_lowercase();
        self.at += end;
        let op_text: String = self.line[self.at..].chars().take_while(|c| matches!(c, '<' | '>' | '=')).collect();
        if op_text.is_empty() {
            return self.fact(start, &name);
        }
        let op_at = self.at;
        self.at += op_text.len();
        let op = match op_text.as_str() {
            ">" => Op::More,
            "<" => Op::Less,
            ">=" => Op::AtLeast,
            "<=" => Op::AtMost,
            "=" => Op::Equal,
            _ => {
                self.complain(op_at..self.at, "this is no comparison; there are > < >= <= =".into());
                self.word_if_any();
                return None;
            }
        };
        let value_at = self.at;
        let value = self.word_if_any();
        let Some((_, field, kind, _)) = field_of(&name) else {
            self.complain(start..op_at, format!("nothing called “{name}” can be compared; Tab shows what can"));
            return None;
        };
        if value.is_empty() {
            let words = match kind {
                FieldKind::Bytes => "a size belongs here, such as 50M",
                FieldKind::Duration => "a time belongs here, such as 90d",
                FieldKind::Number => "a number belongs here",
                FieldKind::Text => "a word belongs here",
            };
            self.complain(value_at..self.at.max(value_at), words.into());
            return None;
        }
        let given = match kind {
            FieldKind::Text if op == Op::Equal => Given::Text(value.to_lowercase()),
            FieldKind::Text => {
                self.complain(op_at..value_at, "only = goes with text".into());
                return None;
            }
            _ => match number(&value, kind) {
                Ok(number) => Given::Number(number),
                Err(words) => {
                    self.complain(value_at..self.at, words.into());
                    return None;
                }
            },
        };
        Some(Expr::Compare(Compare { field, op, given }))
    }

    fn word_if_any(&mut self) -> String {
        match self.line[self.at..].chars().next() {
            Some('"') => self.quoted(),
            Some(c) if !ends_word(c) => self.word(),
            _ => String::new(),
        }
    }

    /// A fact may be cut short. A bare colon is the beginning of one: nothing is ruled out yet.
    fn fact(&mut self, start: usize, name: &str) -> Option<Expr> {
        if name.is_empty() {
            return None;
        }
        let exact = FACTS.iter().find(|(own, ..)| *own == name);
        let begun = || FACTS.iter().find(|(own, ..)| own.starts_with(name));
        if let Some((_, fact, _)) = exact.or_else(begun) {
            return Some(Expr::Fact(*fact));
        }
        let words = match field_of(name) {
            Some((name, _, FieldKind::Text, _)) => format!("“{name}” is compared, as in :{name}=word"),
            Some((name, _, FieldKind::Bytes, _)) => format!("“{name}” is compared, as in :{name}>50M"),
            Some((name, _, FieldKind::Duration, _)) => format!("“{name}” is compared, as in :{name}>90d"),
            Some((name, ..)) => format!("“{name}” is compared, as in :{name}>23"),
            None => format!("there is no fact “{name}”; Tab shows those that there are"),
        };
        self.complain(start..self.at, words);
        None
    }
}

fn field_of(name: &str) -> Option<(&'static str, Field, FieldKind, &'static str)> {
    let exact = FIELDS.iter().find(|(own, ..)| *own == name);
    exact.or_else(|| FIELDS.iter().find(|(own, ..)| !name.is_empty() && own.starts_with(name))).copied()
}

/// A number with its unit, as bytes, seconds or itself.
fn number(text: &str, kind: FieldKind) -> Result<f64, &'static str> {
    let split = text.find(|c: char| !c.is_ascii_digit() && c != '.' && c != ',').unwrap_or(text.len());
    let (digits, unit) = text.split_at(split);
    let wrong = match kind {
        FieldKind::Bytes => "this is no size; write 300k, 50M or 1.5G",
        FieldKind::Duration => "this is no time; write 20min, 3h, 90d, 2w, 6mo or 1y",
        _ => "this is no number",
    };
    let number: f64 = digits.replace(',', ".").parse().map_err(|_| wrong)?;
    let factor = match (kind, unit.to_lowercase().as_str()) {
        (FieldKind::Number, "") => 1.0,
        (FieldKind::Bytes, "" | "b") => 1.0,
        (FieldKind::Bytes, "k" | "kb") => 1e3,
        (FieldKind::Bytes, "m" | "mb") => 1e6,
        (FieldKind::Bytes, "g" | "gb") => 1e9,
        (FieldKind::Duration, "min") => 60.0,
        (FieldKind::Duration, "h") => 3600.0,
        (FieldKind::Duration, "" | "d") => 86_400.0,
        (FieldKind::Duration, "w") => 7.0 * 86_400.0,
        (FieldKind::Duration, "mo") => 30.0 * 86_400.0,
        (FieldKind::Duration, "y") => 365.0 * 86_400.0,
        _ => return Err(wrong),
    };
    Ok(number * factor)
}
