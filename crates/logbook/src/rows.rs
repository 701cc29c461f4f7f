//! Values in the columns of a row, and what becomes of one that is not understood.

use rusqlite::Row;
use wibbet_types::PlainText;

use crate::error::UnknownWord;

/// Values, a line each.
pub(crate) fn lines<T: std::fmt::Display>(all: &[T]) -> String {
    all.iter().map(ToString::to_string).collect::<Vec<_>>().join("\n")
}

/// The values of a column that holds a line for each.
pub(crate) fn read_lines<T>(row: &Row<'_>, column: usize) -> rusqlite::Result<Option<Vec<T>>>
where
    T: std::str::FromStr,
    T::Err: std::error::Error + Send + Sync + 'static,
{
    let Some(text) = row.get::<_, Option<String>>(column)? else { return Ok(None) };
    let all: std::result::Result<Vec<T>, T::Err> = text.lines().map(str::parse).collect();
    all.map(Some).map_err(|error| bad_value(column, error))
}

/// What a row says, or `None` and a gap where this version does not know what that means: another one wrote it, and one
/// row does not lock all others away.
pub(crate) fn understood<T>(read: rusqlite::Result<T>, gaps: &mut Vec<String>) -> rusqlite::Result<Option<T>> {
    match read {
        Ok(told) => Ok(Some(told)),
        Err(rusqlite::Error::FromSqlConversionFailure(_, _, why)) => {
            gaps.push(PlainText::short(&why.to_string()).into_string());
            Ok(None)
        }
        Err(rusqlite::Error::IntegralValueOutOfRange(_, value)) => {
            gaps.push(format!("the number {value} is out of range"));
            Ok(None)
        }
        Err(error) => Err(error),
    }
}

pub(crate) fn bad_value(column: usize, why: impl std::error::Error + Send + Sync + 'static) -> rusqlite::Error {
    rusqlite::Error::FromSqlConversionFailure(column, rusqlite::types::Type::Text, Box::new(why))
}

pub(crate) fn parsed<T>(row: &Row<'_>, column: usize) -> rusqlite::Result<T>
where
    T: std::str::FromStr,
    T::Err: std::error::Error + Send + Sync + 'static,
{
    row.get::<_, String>(column)?.parse().map_err(|e| bad_value(column, e))
}

pub(crate) fn named<T>(row: &Row<'_>, column: usize, read: impl Fn(&str) -> Option<T>) -> rusqlite::Result<T> {
    let name: String = row.get(column)?;
    read(&name).ok_or_else(|| bad_value(column, UnknownWord(name)))
}
