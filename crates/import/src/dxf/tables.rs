//! What a drawing says before it draws: units, layers, blocks.

use super::colours;
use super::entity::{Entity, entities};
use super::tags::Tag;
use std::collections::BTreeMap;
use tinkite_artwork::{Artwork, Units};
use tinkite_base::colour::Colour;
use tinkite_base::geometry::Point;
use tinkite_base::problem::{Code, Location, Problem};
use tinkite_base::quantity::plain;

/// A section's name and tags.
pub(super) type Sections<'t> = Vec<(&'t str, &'t [Tag<'t>])>;

/// Splits the file into its sections.
pub(super) fn sections<'t>(tags: &'t [Tag<'t>]) -> Sections<'t> {
    let mut found = Vec::new();
    let mut at = 0;
    while at < tags.len() {
        let begins = tags[at].code == 0 && tags[at].text().trim() == "SECTION";
        if !begins || tags.get(at + 1).is_none_or(|tag| tag.code != 2) {
            at += 1;
            continue;
        }
        let start = at + 2;
        let ends = |tag: &Tag<'_>| {
            tag.code == 0 && ["ENDSEC", "SECTION", "EOF"].contains(&tag.text().trim())
        };
        let length = tags[start..].iter().position(ends).unwrap_or(tags.len() - start);
        found.push((tags[at + 1].text().trim(), &tags[start..start + length]));
        at = start + length;
    }
    found
}

/// A layer of the drawing.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) struct Layer {
    pub(super) colour: Colour,
    pub(super) shows: Shows,
}

/// Whether a layer shows.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Shows {
    /// It does.
    Yes,
    /// It is switched off: what lies on it does not show; blocks that are put in there show what they have on other
    /// layers.
    Off,
    /// It is frozen: nothing of it shows, nor of blocks that are put in there.
    Frozen,
    /// It shows on the screen and is not plotted.
    Unplotted,
}

/// A named group of entities that `INSERT` draws.
#[derive(Debug)]
pub(super) struct Block<'t> {
    pub(super) base: Point,
    pub(super) entities: Vec<Entity<'t>>,
}

/// Layers, blocks, header values and the entities themselves.
#[derive(Debug)]
pub(super) struct Tables<'t> {
    layers: BTreeMap<String, Layer>,
    blocks: BTreeMap<String, Block<'t>>,
    entities: Vec<Entity<'t>>,
    /// `$INSUNITS` and `$MEASUREMENT`.
    units: Option<i64>,
    metric: Option<bool>,
}

/// Codes of `$INSUNITS` (DXF reference): their names and mm. An astronomical unit is that of 2012, a US survey foot
/// 1200/3937 m.
const UNITS: [(i64, &str, f64); 24] = [
    (1, "inches", 25.4),
    (2, "feet", 304.8),
    (3, "miles", 1_609_344.0),
    (4, "mm", 1.0),
    (5, "cm", 10.0),
    (6, "m", 1000.0),
    (7, "km", 1e6),
    (8, "microinches", 25.4e-6),
    (9, "mils", 25.4e-3),
    (10, "yards", 914.4),
    (11, "angstroms", 1e-7),
    (12, "nm", 1e-6),
    (13, "microns", 1e-3),
    (14, "decimetres", 100.0),
    (15, "decametres", 10_000.0),
    (16, "hectometres", 100_000.0),
    (17, "gigametres", 1e12),
    (18, "astronomical units", 149_597_870_700.0 * 1e3),
    (19, "light years", 9_460_730_472_580_800.0 * 1e3),
    (20, "parsecs", 3.085_677_581_491_367e19),
    (21, "US survey feet", 1_200_000.0 / 3937.0),
    (22, "US survey inches", 100_000.0 / 3937.0),
    (23, "US survey yards", 3_600_000.0 / 3937.0),
    (24, "US survey miles", 5280.0 * 1_200_000.0 / 3937.0),
];

impl<'t> Tables<'t> {
    pub(super) fn of(sections: &Sections<'t>) -> Self {
        let of = |name: &str| {
            let found = sections.iter().filter(move |(section, _)| *section == name);
            found.map(|(_, tags)| *tags).collect::<Vec<_>>()
        };
        let header = of("HEADER").concat_refs();
        let variable = |name: &str| {
            let at = header.iter().position(|t| t.code == 9 && t.text().trim() == name)?;
            header.get(at + 1)?.whole()
        };
        Self {
            layers: of("TABLES").iter().flat_map(|tags| entities(tags)).filter_map(layer).collect(),
            blocks: of("BLOCKS").iter().flat_map(|tags| blocks(entities(tags))).collect(),
            entities: of("ENTITIES").iter().flat_map(|tags| entities(tags)).collect(),
            units: variable("$INSUNITS"),
            metric: variable("$MEASUREMENT").map(|m| m == 1),
        }
    }

    pub(super) fn entities(&self) -> &[Entity<'t>] {
        &self.entities
    }

    pub(super) fn layer(&self, name: &str) -> Layer {
        let ink = Layer { colour: Colour::new(0, 0, 0), shows: Shows::Yes };
        self.layers.get(&name.to_lowercase()).copied().unwrap_or(ink)
    }

    pub(super) fn block(&self, name: &str) -> Option<&Block<'t>> {
        self.blocks.get(&name.to_lowercase())
    }

    /// What one unit is.
    pub(super) fn units(&self) -> Units {
        let known = UNITS.iter().find(|(code, ..)| Some(*code) == self.units);
        let guess = |mm: f64, why: &str| Units {
            source: format!("{why}; assuming 1 unit = {} mm", plain(mm, 1)),
            mm_per_unit: mm,
            doubtful: true,
        };
        match (known, self.metric) {
            (Some((_, name, mm)), _) => Units {
                source: format!("$INSUNITS says {name}"),
                mm_per_unit: *mm,
                doubtful: false,
            },
            (None, Some(false)) => guess(25.4, "no $INSUNITS, and $MEASUREMENT says imperial"),
            (None, Some(true)) => guess(1.0, "no $INSUNITS, and $MEASUREMENT says metric"),
            (None, None) => guess(1.0, "the drawing does not say its units"),
        }
    }

    /// Says where the units are missing, or contradict each other.
    pub(super) fn doubt_units(&self, artwork: &mut Artwork) {
        let units = &artwork.units;
        let contradicts = match (self.units, self.metric) {
            (Some(1..=3 | 8..=10 | 21..=24), Some(true)) => Some("metric"),
            (Some(4..=7 | 12..=16), Some(false)) => Some("imperial"),
            _ => None,
        };
        let message = match contradicts {
            Some(other) if !units.doubtful => {
                format!("{}, but $MEASUREMENT says {other}", units.source)
            }
            _ if units.doubtful => units.source.clone(),
            _ => return,
        };
        let help = if units.doubtful {
            "check one known size; if it is off, say units (\"1/in\" or \"1/mm\") in the job's [[artwork]]"
        } else {
            "check one known size; if it is off, say scale (\"25.4\" makes mm of inches) in the job's [[artwork]]"
        };
        let problem = Problem::warning(Code::UnitDoubt, message, help);
        artwork.problems.push(problem.at(Location::file(&artwork.file)));
    }
}

trait ConcatRefs<'t> {
    fn concat_refs(self) -> Vec<&'t Tag<'t>>;
}

impl<'t> ConcatRefs<'t> for Vec<&'t [Tag<'t>]> {
    fn concat_refs(self) -> Vec<&'t Tag<'t>> {
        self.into_iter().flatten().collect()
    }
}

fn layer(entry: Entity<'_>) -> Option<(String, Layer)> {
    if entry.kind != "LAYER" {
        return None;
    }
    let index = entry.whole_or(62, 7);
    let true_colour = entry.tag(420).and_then(Tag::whole).map(colours::true_colour);
    let colour = true_colour.or_else(|| colours::of_index(index.saturating_abs()));
    // A negative colour means switched off; bit 1 means frozen.
    let shows = match (entry.whole_or(70, 0) & 1, index, entry.whole_or(290, 1)) {
        (1, ..) => Shows::Frozen,
        (_, ..0, _) => Shows::Off,
        (.., 0) => Shows::Unplotted,
        _ => Shows::Yes,
    };
    let colour = colour.unwrap_or(Colour::new(0, 0, 0));
    Some((entry.text(2).to_lowercase(), Layer { colour, shows }))
}

fn blocks(all: Vec<Entity<'_>>) -> Vec<(String, Block<'_>)> {
    let mut blocks = Vec::new();
    let mut open: Option<(String, Block<'_>)> = None;
    for entity in all {
        match entity.kind {
            "BLOCK" => {
                blocks.extend(open.take());
                let base = entity.point(10).unwrap_or_default();
                let block = Block { base, entities: Vec::new() };
                open = Some((entity.text(2).to_lowercase(), block));
            }
            "ENDBLK" => blocks.extend(open.take()),
            _ => {
                if let Some((_, block)) = &mut open {
                    block.entities.push(entity);
                }
            }
        }
    }
    blocks.extend(open);
    blocks
}
