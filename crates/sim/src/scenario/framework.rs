//! Whom a text says that a framework names; `scenarios/framework.txt` tells in its head how it is written.

/// The texts of a package on some levels.
#[derive(Debug)]
pub(crate) struct Block {
    id: &'static str,
    levels: std::ops::RangeInclusive<u32>,
    tv: bool,
    texts: Vec<(&'static str, &'static str)>,
}

#[cfg(test)]
impl Block {
    pub(crate) fn texts(&self) -> &[(&'static str, &'static str)] {
        &self.texts
    }
}

/// The names and texts of a package on an API level.
pub(crate) fn of(blocks: &'static [Block], id: &str, sdk: u32, tv: bool) -> Vec<(&'static str, &'static str)> {
    let own = blocks.iter().filter(|block| block.id == id && block.levels.contains(&sdk) && (tv || !block.tv));
    own.flat_map(|block| block.texts.iter().copied()).collect()
}

/// Reads the file; lines that are nothing are passed over.
pub(crate) fn read(text: &'static str) -> Vec<Block> {
    let mut blocks: Vec<Block> = Vec::new();
    for line in text.lines().filter(|line| !line.trim().is_empty() && !line.starts_with('#')) {
        if let Some(pair) = line.strip_prefix(' ') {
            if let (Some(block), Some(pair)) = (blocks.last_mut(), pair.trim().split_once(' ')) {
                block.texts.push(pair);
            }
            continue;
        }
        let mut words = line.split_whitespace();
        let id = words.next().unwrap_or("");
        let (ranges, flags): (Vec<&str>, Vec<&str>) = words.partition(|word| word.contains(".."));
        let levels = ranges.first().and_then(|range| range.split_once("..")).unwrap_or_default();
        let levels = levels.0.parse().unwrap_or(0)..=levels.1.parse().unwrap_or(u32::MAX);
        blocks.push(Block { id, levels, tv: flags.contains(&"tv"), texts: Vec::new() });
    }
    blocks
}
