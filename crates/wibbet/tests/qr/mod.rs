//! Reads a QR code as it was drawn, the way a camera would: modules, mask, codewords, text. Enough of ISO/IEC 18004 for
//! the small codes that are shown here; errors are not corrected, since a drawing has none.
#![allow(clippy::unwrap_used, reason = "tests")]

/// The modules of a code drawn in half blocks, true where they are dark.
fn modules(drawn: &str) -> Vec<Vec<bool>> {
    let rows: Vec<&str> =
        drawn.lines().filter(|l| l.chars().all(|c| " ▀▄█".contains(c)) && !l.trim().is_empty()).collect();
    let mut out = Vec::new();
    for row in rows {
        out.push(row.chars().map(|c| matches!(c, '▀' | '█')).collect());
        out.push(row.chars().map(|c| matches!(c, '▄' | '█')).collect::<Vec<bool>>());
    }
    // Without the quiet zone around it.
    let first = out.iter().position(|line| line.iter().any(|d| *d)).unwrap();
    let left = out[first].iter().position(|d| *d).unwrap();
    let size = out[first].iter().rposition(|d| *d).unwrap() - left + 1;
    out[first..first + size].iter().map(|l| l[left..left + size].to_vec()).collect()
}

/// The text in a drawn code.
pub(crate) fn read(drawn: &str) -> String {
    let code = modules(drawn);
    let size = code.len();
    let version = (size - 17) / 4;
    assert!(size == 17 + 4 * version && (1..=6).contains(&version), "{size} modules\n{drawn}");
    let format: u32 = (0..6)
        .map(|x| (8, x))
        .chain([(8, 7), (8, 8), (7, 8)])
        .chain((0..6).rev().map(|y| (y, 8)))
        .fold(0, |bits, (y, x)| bits << 1 | u32::from(code[y][x]));
    let mask = ((format ^ 0b101_0100_0001_0010) >> 10) & 7;
    let masked = |y: usize, x: usize| match mask {
        0 => (y + x).is_multiple_of(2),
        1 => y.is_multiple_of(2),
        2 => x.is_multiple_of(3),
        3 => (y + x).is_multiple_of(3),
        4 => (y / 2 + x / 3).is_multiple_of(2),
        5 => y * x % 2 + y * x % 3 == 0,
        6 => (y * x % 2 + y * x % 3).is_multiple_of(2),
        _ => ((y + x) % 2 + y * x % 3).is_multiple_of(2),
    };
    let alignment = if version > 1 { size - 7 } else { size * 2 };
    let is_function = |y: usize, x: usize| {
        let finder = (y < 9 && (x < 9 || x >= size - 8)) || (y >= size - 8 && x < 9);
        finder || y == 6 || x == 6 || (y.abs_diff(alignment) <= 2 && x.abs_diff(alignment) <= 2)
    };
    let mut bits = Vec::new();
    let (mut right, mut up) = (size - 1, true);
    loop {
        for step in 0..size {
            let y = if up { size - 1 - step } else { step };
            for x in [right, right - 1] {
                if !is_function(y, x) {
                    bits.push(code[y][x] != masked(y, x));
                }
            }
        }
        up = !up;
        if right < 2 {
            break;
        }
        right -= 2;
        if right == 6 {
            right = 5;
        }
        if right == 0 {
            break;
        }
    }
    let number =
        |from: usize, count: usize| bits[from..from + count].iter().fold(0usize, |n, b| n << 1 | usize::from(*b));
    // Segments: four bits of mode, a length, the data. Small codes with low correction are in one block.
    let (mut at, mut text) = (0, String::new());
    const ALPHANUMERIC: &[u8] = b"0123456789ABCDEFGHIJKLMNOPQRSTUVWXYZ $%*+-./:";
    loop {
        match number(at, 4) {
            4 => {
                let length = number(at + 4, 8);
                at += 12;
                text.extend((0..length).map(|n| char::from(number(at + 8 * n, 8) as u8)));
                at += 8 * length;
            }
            2 => {
                let length = number(at + 4, 9);
                at += 13;
                for n in 0..length / 2 {
                    let pair = number(at + 11 * n, 11);
                    text.push(char::from(ALPHANUMERIC[pair / 45]));
                    text.push(char::from(ALPHANUMERIC[pair % 45]));
                }
                at += 11 * (length / 2);
                if length % 2 == 1 {
                    text.push(char::from(ALPHANUMERIC[number(at, 6)]));
                    at += 6;
                }
            }
            1 => {
                let length = number(at + 4, 10);
                at += 14;
                let mut left = length;
                while left > 0 {
                    let digits = left.min(3);
                    let wide = [0, 4, 7, 10][digits];
                    text.push_str(&format!("{:0digits$}", number(at, wide)));
                    at += wide;
                    left -= digits;
                }
            }
            _ => return text,
        }
    }
}
