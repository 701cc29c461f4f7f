//! Letters that the fonts of the program lack are written with fonts of the computer. A program of its own: what fonts there are is asked
//! once.

#![allow(clippy::unwrap_used, reason = "tests")]

use svg2pdf::usvg;
use wibbet_report::{Document, FontFile, Picture, Tone, further_fonts_from, is_covered};

/// A font whose letters are boxes: for each of these signs one, as wide as high. Source: the OpenType specification, 1.9.
fn font(family: &str, signs: &[char]) -> Vec<u8> {
    let count = u16::try_from(signs.len() + 1).unwrap();
    let (mut glyf, mut loca) = (Vec::new(), vec![0u32]);
    for glyph in 0..count {
        let side = 300 + 100 * i16::try_from(glyph).unwrap();
        // One contour of four points, a square.
        for number in [1, 0, 0, side, side, 3, 0] {
            glyf.extend(number.to_be_bytes());
        }
        // All on the curve; each coordinate as a word.
        glyf.extend([1, 1, 1, 1]);
        for number in [0, side, 0, -side, 0, 0, side, 0] {
            glyf.extend(number.to_be_bytes());
        }
        while glyf.len() % 4 != 0 {
            glyf.push(0);
        }
        loca.push(u32::try_from(glyf.len()).unwrap());
    }
    let words = |all: &[u16]| all.iter().flat_map(|word| word.to_be_bytes()).collect::<Vec<u8>>();
    let mut head = words(&[1, 0, 1, 0, 0, 0, 0x5f0f, 0x3cf5, 3, 1000]);
    head.extend([0; 16]);
    head.extend(words(&[0, 0, 1000, 1000, 0, 8, 2, 1, 0]));
    let mut hhea = words(&[1, 0, 900, 0xff38, 0, 1000]);
    hhea.extend([0; 22]);
    hhea.extend(words(&[count]));
    let mut maxp = words(&[1, 0, count, 4, 1]);
    maxp.extend([0; 22]);
    let hmtx: Vec<u8> = (0..count).flat_map(|_| words(&[1000, 0])).collect();
    // Format 12, a group for each sign.
    let long = |all: &[u32]| all.iter().flat_map(|long| long.to_be_bytes()).collect::<Vec<u8>>();
    let groups: Vec<(u32, u32)> = {
        let mut all: Vec<(u32, u32)> = signs.iter().zip(1..).map(|(sign, glyph)| (u32::from(*sign), glyph)).collect();
        all.sort_unstable();
        all
    };
    let mut cmap = words(&[0, 1, 3, 10, 0, 12, 12, 0]);
    let length = 16 + 12 * u32::try_from(groups.len()).unwrap();
    cmap.extend(long(&[length, 0, u32::try_from(groups.len()).unwrap()]));
    groups.iter().for_each(|(sign, glyph)| cmap.extend(long(&[*sign, *sign, *glyph])));
    let name16: Vec<u8> = family.encode_utf16().flat_map(u16::to_be_bytes).collect();
    let size = u16::try_from(name16.len()).unwrap();
    let mut name = words(&[0, 2, 30, 3, 1, 0x409, 1, size, 0, 3, 1, 0x409, 6, size, 0]);
    name.extend(&name16);
    let mut post = words(&[3, 0]);
    post.extend([0; 28]);
    let loca = long(&loca);
    let tables: [(&[u8; 4], Vec<u8>); 9] = [
        (b"cmap", cmap),
        (b"glyf", glyf),
        (b"head", head),
        (b"hhea", hhea),
        (b"hmtx", hmtx),
        (b"loca", loca),
        (b"maxp", maxp),
        (b"name", name),
        (b"post", post),
    ];
    let mut file = words(&[1, 0, 9, 128, 3, 16]);
    let mut at = 12 + 16 * tables.len();
    let mut bodies = Vec::new();
    for (tag, mut body) in tables {
        file.extend(*tag);
        file.extend(long(&[0, u32::try_from(at).unwrap(), u32::try_from(body.len()).unwrap()]));
        while body.len() % 4 != 0 {
            body.push(0);
        }
        at += body.len();
        bodies.extend(body);
    }
    file.extend(bodies);
    file
}

fn of_this_computer() -> Vec<FontFile> {
    let leaked = |family: &str, signs: &[char]| FontFile { data: Vec::leak(font(family, signs)), index: 0 };
    // One that is none is passed by.
    let broken = FontFile { data: b"no font", index: 0 };
    vec![broken, leaked("Pier Gothic", &['潮', '汐', '表']), leaked("Pier Batang", &['달', '표', '汐'])]
}

fn page(texts: &[&str]) -> Document {
    let mut page = Picture::of(400.0, 200.0);
    for (n, text) in texts.iter().enumerate() {
        page.text((20.0, 30.0 + 20.0 * n as f32), text, 12.0, Tone::Ink);
        page.bold((200.0, 30.0 + 20.0 * n as f32), text, 12.0, Tone::Ink);
    }
    Document { title: "Labels".into(), pages: vec![page] }
}

#[test]
fn what_the_own_fonts_lack_is_written_with_others() {
    further_fonts_from(of_this_computer);
    for (text, covered) in
        [("潮汐表", true), ("Pier 潮汐 3", true), ("달표", true), ("潮달", true), ("ปฏิทิน", false), ("مخطط", true)]
    {
        assert_eq!(is_covered(text), covered, "{text}");
    }
    let texts = ["Pier 潮汐表 3: 달표", "مخطط الرحلات", "ספינה"];
    let svg = page(&texts).svg().unwrap();
    // The letters are outlines, each kept once; the texts are there to be found, in parts of a font each.
    for part in ["Pier ", "潮汐表", " 3: ", "달표", "مخطط الرحلات"] {
        assert!(svg.contains(part), "{part}: {svg}");
    }
    let seen = usvg::Tree::from_str(&svg, &usvg::Options::default()).unwrap();
    assert!(seen.root().has_children());
    for glyph in ["id=\"f2-1\"", "id=\"f2-3\"", "id=\"f3-1\"", "id=\"f3-2\""] {
        assert_eq!(svg.matches(glyph).count(), 1, "{glyph}");
    }
    assert!(!svg.contains("id=\"f3-3\""), "the first font that has a sign writes it");
    let pdf = page(&texts).pdf().unwrap();
    for family in ["PierGothic", "PierBatang", "DejaVuSans"] {
        let name = family.as_bytes();
        let spaced = family.replace("Pier", "Pier#20");
        let found = |name: &[u8]| pdf.windows(name.len()).any(|at| at == name);
        assert!(found(name) || found(spaced.as_bytes()), "{family} is not in the file");
    }
    assert_eq!(pdf, page(&texts).pdf().unwrap(), "the same bytes for the same page");
}
