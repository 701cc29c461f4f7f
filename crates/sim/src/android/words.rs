//! Command lines, taken apart.

/// Takes a line apart into commands and words.
pub(super) fn split_commands(line: &str) -> Vec<Vec<String>> {
    let mut commands = vec![Vec::new()];
    let mut word: Option<String> = None;
    let mut quote: Option<char> = None;
    let mut chars = line.chars();
    while let Some(c) = chars.next() {
        match (quote, c) {
            (Some(q), c) if c == q => quote = None,
            (Some('\''), c) => word.get_or_insert_default().push(c),
            (_, '\\') => word.get_or_insert_default().extend(chars.next()),
            (Some(_), c) => word.get_or_insert_default().push(c),
            (None, '\'' | '"') => {
                quote = Some(c);
                word.get_or_insert_default();
            }
            (None, c) if c == ';' || c.is_whitespace() => {
                if let (Some(done), Some(command)) = (word.take(), commands.last_mut()) {
                    command.push(done);
                }
                if c == ';' {
                    commands.push(Vec::new());
                }
            }
            (None, c) => word.get_or_insert_default().push(c),
        }
    }
    if let (Some(done), Some(command)) = (word, commands.last_mut()) {
        command.push(done);
    }
    commands
}
