//! Paint that lets what lies under it show through, or that nobody sees.

use tinkite_artwork::Problems;
use tinkite_base::colour::Colour;
use tinkite_base::problem::{Code, Location, Problem, count};

/// More than this of a paint hides what lies under it, and less than the other shows nothing: half a
/// step of 256.
const HIDES: f64 = 1.0 - 1.0 / 512.0;
const SHOWS: f64 = 1.0 / 512.0;

/// Follows the opacity of groups and paints through a drawing.
#[derive(Debug, Default)]
pub(super) struct Opacity {
    /// Of each group round: how much of what it holds shows, and which veil it is part of.
    groups: Vec<(f64, u32)>,
    last: u32,
    /// How many paints let something show through, and how many show nothing.
    half: usize,
    nothing: usize,
}

impl Opacity {
    /// A group begins, of which so much shows, 0 to 1; `darkens` when what lies under shows through all the
    /// same.
    pub(super) fn enter(&mut self, opacity: f64, darkens: bool) {
        let (round, veil) = self.round();
        let veil = if veil == 0 && (opacity <= HIDES || darkens) { self.next() } else { veil };
        self.groups.push((round * opacity.clamp(0.0, 1.0), veil));
    }

    /// It ends.
    pub(super) fn leave(&mut self) {
        self.groups.pop();
    }

    fn round(&self) -> (f64, u32) {
        self.groups.last().copied().unwrap_or((1.0, 0))
    }

    fn next(&mut self) -> u32 {
        self.last += 1;
        self.last
    }

    /// How much of what the groups at hand hold shows, 0 to 1.
    pub(super) fn shows(&self) -> f64 {
        self.round().0
    }

    /// Whether nothing inside the groups at hand shows.
    pub(super) fn hides_all(&self) -> bool {
        self.round().0 < SHOWS
    }

    /// The colour that a paint of this opacity shows over paper, and its veil; `None` when it shows
    /// nothing.
    pub(super) fn paint(&mut self, colour: Colour, opacity: f64) -> Option<(Colour, u32)> {
        let (round, group) = self.round();
        let shows = round * opacity;
        if shows < SHOWS {
            self.nothing += 1;
            return None;
        }
        if shows > HIDES {
            self.half += usize::from(group > 0);
            return Some((colour, group));
        }
        self.half += 1;
        let over_paper = |c: u8| (f64::from(c) * shows + 255.0 * (1.0 - shows)).round() as u8;
        let veil = if opacity > HIDES { group } else { self.next() };
        Some((Colour { rgb: colour.rgb.map(over_paper) }, veil))
    }

    /// Says what was not plain.
    pub(super) fn report(&self, file: &str, problems: &mut Problems) {
        if self.half > 0 {
            let message = format!(
                "{} half transparent, taken for the colour that shows over paper",
                count(self.half, "paint")
            );
            let help =
                "what lies under shows through and is burnt as well; a plain colour hides it";
            problems.push(Problem::note(Code::Veil, message, help).at(Location::file(file)));
        }
        if self.nothing > 0 {
            let message = format!("{} of no opacity, left out", count(self.nothing, "paint"));
            let help = "they do not show on the page either";
            problems.push(Problem::note(Code::NotVisible, message, help).at(Location::file(file)));
        }
    }
}
