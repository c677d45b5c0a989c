//! Letters of one stroke: for scores and numbers, where outlines would take three times as long. Latin with the
//! marks of Europe's languages.

mod accents;
mod letters;

use accents::{At, MARKS};
use kurbo::Shape as _;
use letters::{BLANK, CAPITAL, LETTERS, RAISED, SPACING};
use std::collections::BTreeSet;
use tinkite_artwork::NoOutlines;
use tinkite_base::geometry::{Affine, BezPath, Vec2};

/// A raised sign to its original.
const RAISED_SCALE: f64 = 0.6;

/// A line of text whose baseline starts at the origin, y up, with capitals of `height` mm.
///
/// # Errors
/// The letters that there are not, or nothing visible in the text.
pub(super) fn write(text: &str, height: f64) -> Result<BezPath, NoOutlines> {
    let mut line = BezPath::new();
    let mut missing = BTreeSet::new();
    let mut x = 0.0;
    let mut letters = text.chars().filter(|c| !c.is_control()).peekable();
    while let Some(mut c) = letters.next() {
        while let Some(whole) = letters.peek().and_then(|mark| with_mark(c, *mark)) {
            letters.next();
            c = whole;
        }
        if c.is_whitespace() {
            x += BLANK + SPACING;
            continue;
        }
        let Some((path, width)) = draw(c) else {
            missing.insert(c);
            continue;
        };
        line.extend(Affine::translate(Vec2::new(x, 0.0)) * path);
        x += width + SPACING;
    }
    if !missing.is_empty() {
        return Err(NoOutlines::Letters(missing));
    }
    match line.elements().is_empty() {
        true => Err(NoOutlines::Nothing),
        false => Ok(Affine::scale(height / CAPITAL) * line),
    }
}

/// The letter that a letter and the sign of a mark behind it are together.
fn with_mark(letter: char, sign: char) -> Option<char> {
    let dotless = match letter {
        'i' => 'ı',
        'j' => 'ȷ',
        other => other,
    };
    let made_of = |pair: &&str| pair.ends_with(letter) || pair.ends_with(dotless);
    let marks = MARKS.iter().filter(|mark| mark.signs.contains(sign));
    marks.filter_map(|mark| mark.letters.split(' ').find(made_of)?.chars().next()).next()
}

/// A letter and its width, in units of the table.
fn draw(c: char) -> Option<(BezPath, f64)> {
    if let Some((_, width, path)) = LETTERS.iter().find(|(known, ..)| *known == c) {
        return Some((read(path)?, *width));
    }
    if let Some((_, of)) = RAISED.iter().find(|(known, _)| *known == c) {
        let (path, width) = draw(*of)?;
        let up = Affine::translate(Vec2::new(0.0, CAPITAL * (1.0 - RAISED_SCALE)));
        return Some((up * Affine::scale(RAISED_SCALE) * path, width * RAISED_SCALE));
    }
    let (mark, of) = MARKS.iter().find_map(|mark| {
        let pair = mark.letters.split(' ').find(|pair| pair.starts_with(c))?;
        Some((mark, pair.chars().nth(1)?))
    })?;
    let (mut path, width) = draw(of)?;
    let bounds = path.bounding_box();
    let at = match mark.at {
        At::Over => Vec2::new(bounds.center().x, bounds.y1),
        At::Under => Vec2::new(bounds.center().x, 0.0),
        At::RightFoot => Vec2::new(bounds.x1, 0.0),
        At::RightTop => Vec2::new(bounds.x1, 0.0),
    };
    let line = Affine::translate(at) * read(mark.path)?;
    // A mark over a narrow letter is what keeps its neighbours away.
    let (left, right) = match mark.at {
        At::Over => ((-line.bounding_box().x0).max(0.0), line.bounding_box().x1.max(width)),
        At::RightTop => (0.0, width + 2.6),
        At::Under | At::RightFoot => (0.0, width),
    };
    path.extend(line);
    Some((Affine::translate(Vec2::new(left, 0.0)) * path, left + right))
}

/// A path of the tables; a test reads them all.
fn read(path: &str) -> Option<BezPath> {
    BezPath::from_svg(path).ok()
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::collections::BTreeMap;

    /// The alphabets of Europe's languages that are written in Latin letters, small and capital.
    const ALPHABETS: &str = "abcdefghijklmnopqrstuvwxyz \
        ëç àáâãäåæçèéêëìíîïðñòóôõöøùúûüýþÿ œ ß āčēģīķļņšūž ąčęėįšųūž ćłńóśźż ěřťďňů ôĺľŕ őű șțăâî ğışöçİ \
        čćđšž ċġħż ŵŷ ŝĝĉĥĵŭ ŋŧŋđŧ ə ẃẁẅỳ ĳ ıȷ";

    #[test]
    fn every_letter_of_europe_is_there() {
        let letters = ALPHABETS.chars().chain('\u{c0}'..='\u{17f}').filter(|c| !c.is_whitespace());
        // Of ŉ and ǰ the capital is spelt with a free mark.
        let marked = |c: &char| *c == 'ʼ' || ('\u{300}'..='\u{36f}').contains(c);
        let letters = letters.flat_map(|c| c.to_uppercase().chain([c])).filter(|c| !marked(c));
        for c in letters.chain('!'..='~').chain("ªµº°·×–".chars()) {
            assert!(draw(c).is_some(), "{c} U+{:04X}", u32::from(c));
        }
    }

    #[test]
    fn no_letter_is_drawn_twice_and_all_stay_in_their_band() {
        let mut known = BTreeMap::new();
        let composed =
            MARKS.iter().flat_map(|m| m.letters.split(' ')).map(|pair| pair.chars().next());
        let all = LETTERS.iter().map(|l| Some(l.0)).chain(RAISED.iter().map(|r| Some(r.0)));
        for c in all.chain(composed).flatten() {
            assert_eq!(known.insert(c, ()), None, "{c} stands twice");
            let (path, width) = draw(c).unwrap();
            let bounds = path.bounding_box();
            assert!(bounds.y0 >= -4.3 && bounds.y1 <= 19.5, "{c}: {bounds:?}");
            assert!(bounds.x0 >= -3.0 && bounds.x1 <= width + 3.0, "{c}: {bounds:?}, {width}");
        }
    }

    #[test]
    fn a_capital_is_as_high_as_was_said_and_letters_follow_each_other() {
        let high = |text: &str| write(text, 7.0).unwrap().bounding_box();
        assert!((high("H").height() - 7.0).abs() < 1e-9);
        // 9.5 units of H, 3.5 between, 0 of I, 3.5, 9.5: 26 of 14 a capital.
        assert!((high("HIH").x1 - 26.0 / 2.0).abs() < 1e-9);
        // A blank is 5 wide and has its space.
        assert!((high("H H").x1 - (9.5 + 3.5 + 8.5 + 9.5) / 2.0).abs() < 1e-9);
        // Marks of narrow letters keep clear of each other: two of 4.4 wide, 3.5 between.
        assert!((high("ÎÎ").width() - (4.4 + 3.5 + 4.4) / 2.0).abs() < 1e-9);
        // A mark stands over its letter, whatever its height.
        assert!(high("é").y1 < high("É").y1 && high("é").y1 > high("x").y1);
    }

    #[test]
    fn a_mark_that_is_written_behind_its_letter_is_set_on_it() {
        for (apart, whole) in [
            ("e\u{301}", "é"),
            ("i\u{308}", "ï"),
            ("I\u{307}", "İ"),
            ("g\u{327}", "ģ"),
            ("s\u{327}", "ş"),
            ("s\u{326}", "ș"),
            ("K\u{327}", "Ķ"),
            ("d\u{30c}", "ď"),
            ("A\u{328}", "Ą"),
            ("u\u{30b}x", "űx"),
        ] {
            assert_eq!(write(apart, 5.0), write(whole, 5.0), "{whole}");
        }
        assert_eq!(write("q\u{301}", 5.0), Err(NoOutlines::Letters(['\u{301}'].into())));
    }

    #[test]
    fn letters_that_are_not_there_are_named() {
        let Err(NoOutlines::Letters(missing)) = write("Kite жд", 5.0) else { panic!() };
        assert_eq!(missing.into_iter().collect::<String>(), "дж");
        assert_eq!(write(" \t", 5.0), Err(NoOutlines::Nothing));
    }
}
