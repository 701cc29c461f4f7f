//! Several commands in one, each with a mark in front of what it prints.

use crate::ask::Request;

/// What stands before each part.
const MARK: &str = "wibbet-part:";

/// Commands by name, to be asked in one. Names hold letters and digits only.
pub(crate) fn marked_request<'a>(parts: impl IntoIterator<Item = (&'a str, impl std::fmt::Display)>) -> Request {
    let parts: Vec<String> = parts.into_iter().map(|(name, command)| format!("echo {MARK}{name}; {command}")).collect();
    Request::shell(parts.join("; "))
}

/// The name of the part that begins with a line.
pub(super) fn part_of(line: &str) -> Option<&str> {
    line.strip_prefix(MARK).map(str::trim)
}

/// The parts of a whole answer, by name. A part may be missing or there twice.
pub(crate) fn parts(text: &str) -> impl Iterator<Item = (&str, &str)> {
    text.split(MARK).skip(1).map(|part| {
        let (name, body) = part.split_once('\n').unwrap_or((part, ""));
        (name.trim(), body)
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_asked_in_one_comes_apart_again() {
        let request = marked_request([("id", "id"), ("up", "cat /proc/uptime")]);
        assert_eq!(request.command(), "echo wibbet-part:id; id; echo wibbet-part:up; cat /proc/uptime");
        let answer = "noise\nwibbet-part:id\r\nuid=2000\r\nwibbet-part:up\nwibbet-part:last";
        let all: Vec<_> = parts(answer).collect();
        assert_eq!(all, [("id", "uid=2000\r\n"), ("up", ""), ("last", "")]);
        assert_eq!((part_of("wibbet-part:id\r"), part_of("uid=2000")), (Some("id"), None));
    }
}
