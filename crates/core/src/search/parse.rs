//! Reading a search line.

use std::ops::Range;

use super::ast::{Compare, Expr, Given, Op, Word};
use super::error::{SearchError, SearchErrorKind};
use super::facts::facts;
use crate::catalog::{Attribute, Column, CompareKind, Comparison};

/// Parentheses within parentheses, at most.
const DEEPEST: usize = 32;

/// Parts that are looked at; nobody types more.
const MOST: usize = 200;

struct Parser<'a> {
    line: &'a str,
    at: usize,
    parts: usize,
    /// Nothing is cut short, and words stand there as they are.
    strict: bool,
    trouble: Option<SearchError>,
}

pub(crate) fn parse(line: &str, strict: bool) -> (Option<Expr>, Option<SearchError>) {
    let mut parser = Parser { line, at: 0, parts: 0, strict, trouble: None };
    let mut all = Vec::new();
    loop {
        all.extend(parser.line(0));
        match parser.peek() {
            Some(')') => {
                let at = parser.at..parser.at + 1;
                parser.complain(at, SearchErrorKind::NotOpened);
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
    fn complain(&mut self, span: Range<usize>, kind: SearchErrorKind) {
        self.trouble.get_or_insert(SearchError { span, kind });
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
                self.complain(start..self.line.len(), SearchErrorKind::TooLong { most: MOST });
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
                    self.complain(open..open + 1, SearchErrorKind::NotClosed);
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
                Some(Expr::Word(Word::new(&word, self.strict)))
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
                self.complain(op_at..self.at, SearchErrorKind::NoComparison);
                self.word_if_any();
                return None;
            }
        };
        let value_at = self.at;
        let value = self.word_if_any();
        let Some((attribute, Comparison { kind, .. })) = comparison_of(&name, self.strict) else {
            self.complain(start..op_at, SearchErrorKind::NotComparable(name));
            return None;
        };
        let kind = *kind;
        if value.is_empty() {
            self.complain(value_at..self.at.max(value_at), SearchErrorKind::NoValue(kind));
            return None;
        }
        let given = match kind {
            CompareKind::Text if op == Op::Equal => Given::Text(value.to_lowercase()),
            CompareKind::Text => {
                self.complain(op_at..value_at, SearchErrorKind::TextOnlyEqual);
                return None;
            }
            _ => match number(&value, kind) {
                Some(number) => Given::Number(number),
                None => {
                    self.complain(value_at..self.at, SearchErrorKind::BadValue(kind));
                    return None;
                }
            },
        };
        Some(Expr::Compare(Compare { attribute, op, given }))
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
        if name.is_empty() && !self.strict {
            return None;
        }
        let strict = self.strict;
        let exact = facts().find(|row| row.name == name);
        let begun = || facts().find(|row| !strict && row.name.starts_with(name));
        if let Some(row) = exact.or_else(begun) {
            return Some(Expr::Fact(row.fact));
        }
        let kind = match comparison_of(name, strict) {
            Some((_, Comparison { name, kind, .. })) => SearchErrorKind::NotCompared { name, kind: *kind },
            None => SearchErrorKind::UnknownFact(name.to_owned()),
        };
        self.complain(start..self.at, kind);
        None
    }
}

/// What is compared under a name, which may be cut short unless it is to be strict.
fn comparison_of(name: &str, strict: bool) -> Option<(Column, &'static Comparison)> {
    let exact = Attribute::comparisons().find(|(_, c)| c.name == name);
    let begun = |(_, c): &(Column, &Comparison)| !strict && !name.is_empty() && c.name.starts_with(name);
    exact.or_else(|| Attribute::comparisons().find(begun))
}

/// A number with its unit, as bytes, seconds or itself; `None` for anything else.
fn number(text: &str, kind: CompareKind) -> Option<f64> {
    let split = text.find(|c: char| !c.is_ascii_digit() && c != '.' && c != ',').unwrap_or(text.len());
    let (digits, unit) = text.split_at(split);
    let number: f64 = digits.replace(',', ".").parse().ok()?;
    let factor = match (kind, unit.to_lowercase().as_str()) {
        (CompareKind::Number, "") => 1.0,
        (CompareKind::Bytes, "" | "b") => 1.0,
        (CompareKind::Bytes, "k" | "kb") => 1e3,
        (CompareKind::Bytes, "m" | "mb") => 1e6,
        (CompareKind::Bytes, "g" | "gb") => 1e9,
        (CompareKind::Duration, "min") => 60.0,
        (CompareKind::Duration, "h") => 3600.0,
        (CompareKind::Duration, "" | "d") => 86_400.0,
        (CompareKind::Duration, "w") => 7.0 * 86_400.0,
        (CompareKind::Duration, "mo") => 30.0 * 86_400.0,
        (CompareKind::Duration, "y") => 365.0 * 86_400.0,
        _ => return None,
    };
    Some(number * factor)
}
