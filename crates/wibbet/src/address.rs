//! Addresses as people type them.

/// `HOST:PORT`; an IPv6 address stands in brackets.
pub(crate) fn address(text: &str) -> Result<String, String> {
    let rule = || "an address is HOST:PORT, such as 192.0.2.7:5555 or [2001:db8::7]:5555".to_owned();
    let (host, port) = text.rsplit_once(':').ok_or_else(rule)?;
    let bare = host.strip_prefix('[').and_then(|h| h.strip_suffix(']')).unwrap_or(host);
    let bracketed = bare.len() != host.len();
    let fits = !bare.is_empty()
        && bare.chars().all(|c| c.is_ascii_alphanumeric() || ".-_:%".contains(c))
        && (bracketed || !bare.contains(':'));
    match port.parse::<u16>() {
        Ok(1..) if fits => Ok(text.to_owned()),
        _ => Err(rule()),
    }
}
