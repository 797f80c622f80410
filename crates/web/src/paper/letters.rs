//! Letters: which font has which, how wide they are, and how a line is broken. A letter no font here has is named by its
//! number, never drawn as a box.

use crate::assets::{data_address, font};
use krilla::text::Font;
use std::borrow::Cow;
use std::sync::LazyLock;
use ttf_parser::Face;

/// A face text is set in.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Cut {
    Body,
    Bold,
    Title,
    Figure,
    /// Greek, Cyrillic and the further letters of Latin.
    Other,
}

/// Faces in the order of [`Cut`].
const PATHS: [&str; 5] = [
    "fonts/atkinson-next.ttf",
    "fonts/atkinson-next-bold.ttf",
    "fonts/fraunces.ttf",
    "fonts/atkinson-mono.ttf",
    "fonts/other-letters.ttf",
];

struct Loaded {
    face: Face<'static>,
    font: Font,
}

static FONTS: LazyLock<Vec<Loaded>> = LazyLock::new(|| {
    let load = |path: &&str| {
        let data: &'static [u8] = Vec::leak(font(path));
        Some(Loaded { face: Face::parse(data, 0).ok()?, font: Font::new(data.to_vec().into(), 0)? })
    };
    PATHS.iter().filter_map(load).collect()
});

impl Cut {
    fn loaded(self) -> &'static Loaded {
        &FONTS[self as usize]
    }

    /// The font as the press takes it.
    pub(super) fn font(self) -> Font {
        self.loaded().font.clone()
    }

    /// Advance of a letter, in sizes; `None` where this face has it not.
    fn advance(self, c: char) -> Option<f32> {
        let face = &self.loaded().face;
        let wide = face.glyph_hor_advance(face.glyph_index(c)?)?;
        Some(f32::from(wide) / f32::from(face.units_per_em()))
    }
}

/// A stretch of text in one face.
#[derive(Debug, Clone, PartialEq)]
pub(crate) struct Run {
    pub(crate) cut: Cut,
    pub(crate) text: String,
    /// Sizes it is wide.
    pub(crate) wide: f32,
}

/// Letters that have a plain twin the fonts have.
fn plain(c: char) -> char {
    match c {
        '\u{a0}' | '\u{202f}' | '\u{2009}' => ' ',
        '\u{2010}' | '\u{2011}' => '-',
        _ => c,
    }
}

/// A sheet's HTML that brings its letters along: those its own faces lack come with a face of their own, those no face
/// here has are named by their number. Signs that are no letters are left to the reader's fonts.
pub(crate) fn with_letters(html: &str) -> String {
    let (mut out, mut other) = (String::with_capacity(html.len()), false);
    for c in html.chars() {
        let known = c.is_ascii() || !c.is_alphabetic() || Cut::Body.advance(c).is_some();
        if known || Cut::Other.advance(c).is_some() {
            other |= !known;
            out.push(c);
        } else {
            out.push_str(&format!("[U+{:04X}]", u32::from(c)));
        }
    }
    if other {
        let face = format!(
            "@font-face {{ font-family: \"Other letters\"; src: url(\"{}\") format(\"truetype\"); }}\n</style>",
            data_address("font/ttf", &font("fonts/other-letters.ttf"))
        );
        out = out.replacen("</style>", &face, 1);
    }
    out
}

/// What a letter is written as: itself where a font has it, else its number.
fn written(c: char, cut: Cut) -> (Cut, Cow<'static, str>) {
    let c = plain(c);
    if cut.advance(c).is_some() {
        return (cut, Cow::Owned(c.to_string()));
    }
    if Cut::Other.advance(c).is_some() {
        return (Cut::Other, Cow::Owned(c.to_string()));
    }
    match c {
        _ if c.is_control() || c.is_whitespace() => (cut, Cow::Borrowed(" ")),
        _ => (cut, Cow::Owned(format!("[U+{:04X}]", u32::from(c)))),
    }
}

/// Text as stretches of one face each.
pub(super) fn runs(text: &str, cut: Cut) -> Vec<Run> {
    let mut out: Vec<Run> = Vec::new();
    for c in text.chars() {
        let (cut, s) = written(c, cut);
        let wide = s.chars().filter_map(|c| cut.advance(c)).sum::<f32>();
        match out.last_mut() {
            Some(r) if r.cut == cut => {
                r.text.push_str(&s);
                r.wide += wide;
            }
            _ => out.push(Run { cut, text: s.into_owned(), wide }),
        }
    }
    out
}

/// Sizes a text is wide.
pub(super) fn width(text: &str, cut: Cut) -> f32 {
    runs(text, cut).iter().map(|r| r.wide).sum()
}

/// Lines no wider than `most` sizes: broken between words, and within a word only where one is wider than a line.
pub(super) fn lines(text: &str, cut: Cut, most: f32) -> Vec<String> {
    let space = width(" ", cut);
    let mut out: Vec<String> = Vec::new();
    let (mut line, mut at) = (String::new(), 0.0);
    for word in text.split_whitespace() {
        let wide = width(word, cut);
        if !line.is_empty() && at + space + wide > most {
            out.push(std::mem::take(&mut line));
            at = 0.0;
        }
        if !line.is_empty() {
            line.push(' ');
            at += space;
        }
        if wide <= most {
            line.push_str(word);
            at += wide;
            continue;
        }
        for c in word.chars() {
            let own = width(c.encode_utf8(&mut [0; 4]), cut);
            if at + own > most && !line.is_empty() {
                out.push(std::mem::take(&mut line));
                at = 0.0;
            }
            line.push(c);
            at += own;
        }
    }
    if !line.is_empty() || out.is_empty() {
        out.push(line);
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_sheet_brings_its_letters_along_and_names_those_nobody_has() {
        let sheet = |name: &str| format!("<style>p {{ }}</style><p>{name} ● ±</p><style></style>");
        let own = with_letters(&sheet("Marrow 48"));
        assert_eq!(own, sheet("Marrow 48"), "its own faces have all of it");
        let foreign = with_letters(&sheet("Жук λ 軸"));
        assert_eq!(foreign.matches("@font-face").count(), 1);
        assert!(
            foreign.contains("url(\"data:font/ttf;base64,AA")
                && foreign.contains("<p>Жук λ [U+8EF8] ● ±</p>")
        );
    }

    #[test]
    fn a_letter_the_fonts_lack_is_named_and_others_stand() {
        let text = |s: &str| runs(s, Cut::Body).into_iter().map(|r| r.text).collect::<String>();
        assert_eq!(text("λ 0,9 Žluťoučký Жук ±"), "λ 0,9 Žluťoučký Жук ±");
        assert_eq!(text("軸"), "[U+8EF8]");
        assert_eq!(text("10\u{a0}kW"), "10 kW");
        assert_eq!(
            runs("aλb", Cut::Body).iter().map(|r| r.cut).collect::<Vec<_>>(),
            [Cut::Body, Cut::Other, Cut::Body]
        );
    }

    #[test]
    fn lines_are_no_wider_than_they_may_be_and_lose_nothing() {
        let text = "A name of 120 characters: Донаулагерскоесуперпроверочноеназвание and a short one";
        for most in [3.0, 8.0, 20.0, 200.0] {
            let all = lines(text, Cut::Body, most);
            assert!(all.iter().all(|l| width(l, Cut::Body) <= most + 1e-3), "{most}: {all:?}");
            let bare = |s: &str| s.split_whitespace().collect::<String>();
            assert_eq!(bare(&all.concat()), bare(text), "{most}");
        }
        assert_eq!(lines("", Cut::Body, 9.0), [""]);
    }
}
