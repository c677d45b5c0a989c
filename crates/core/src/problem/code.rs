//! The codes of problems, each with its story for `check --explain`. A code without one does not
//! compile.

use serde::{Serialize, Serializer};
use std::fmt;

/// Writes the codes as one enumeration: its names in programs and in text, and its stories.
macro_rules! codes {
    ($($code:ident $text:literal $story:literal)*) => {
        /// What kind of problem it is: short and stable, for people and for scripts.
        #[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
        pub enum Code {
            $(#[doc = $story] $code,)*
        }

        impl Code {
            /// All codes, sorted by their text.
            pub const ALL: &'static [Self] = &[$(Self::$code),*];

            /// Its text, as it is printed.
            #[must_use]
            pub fn text(self) -> &'static str {
                match self {
                    $(Self::$code => $text,)*
                }
            }

            /// What it means and what usually causes it.
            #[must_use]
            pub fn story(self) -> &'static str {
                match self {
                    $(Self::$code => $story,)*
                }
            }
        }
    };
}

impl Code {
    /// The code with this text.
    #[must_use]
    pub fn of(text: &str) -> Option<Self> {
        Self::ALL.iter().copied().find(|code| code.text() == text)
    }
}

impl fmt::Display for Code {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(self.text())
    }
}

impl Serialize for Code {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        serializer.serialize_str(self.text())
    }
}

codes! {
    AbsurdSize "absurd-size"
        "A coordinate lies more than a kilometre away. Usually a stray point, a broken file or a unit read wrongly."
    Advance "advance"
        "Engraved lines follow each other sideways to the direction in which they run. Lines at 0 deg can advance upwards or downwards, lines at 90 deg rightwards or leftwards, slanting lines any way."
    AfterEnd "after-end"
        "A program has lines after M2 or M30. Controllers do not run them."
    AlikeColours "alike-colours"
        "Two colours differ so little that one of them is probably a slip; a step that takes one does not take the other."
    BelowFloor "below-floor"
        "The power asked for is an S value so low that the source does not light. The floor stands in the machine profile, [beam] floor."
    BelowMeasured "below-measured"
        "The source's table begins above the power that is used. Between nothing at zero and the first measured row the curve is drawn by guess: many sources give nothing at all for the first tenth. Measure a row at that power."
    Bitmap "bitmap"
        "A step takes a bitmap and follows or fills outlines, which a bitmap has none of; or a bitmap could not be read. image = { … } engraves its pixels; trace = { … } in [[artwork]] turns it into outlines; leave-out = [{ kind = \"bitmap\" }] leaves it out."
    BlankBitmap "blank-bitmap"
        "After brightness, contrast, gamma and threshold no pixel of the bitmap is dark enough to be burnt."
    BridgeFewer "bridge-fewer"
        "Bridges keep away from corners and from each other. On some lines there is no room for all of them, so there are fewer."
    BridgeRoom "bridge-room"
        "Bridges of the width and number asked for would take more than half of a line: it would hardly be cut at all."
    BrokenBitmap "broken-bitmap"
        "A bitmap file or an embedded bitmap is damaged or of a variant that is not read. Save it again as PNG."
    BrokenDxf "broken-dxf"
        "Where a DXF file must have a group code there is something else. Save the drawing again as DXF."
    BrokenEntity "broken-entity"
        "Entities of a DXF lack numbers that they need, or have ones that make no curve. They are left out."
    BrokenPdf "broken-pdf"
        "The PDF is damaged beyond repair. Export it again from the drawing program."
    BrokenSolid "broken-solid"
        "The STL model is damaged. Save it again from the modelling program."
    Clipped "clipped"
        "Clip paths hide part of the drawing. What they hide is cut away or left out here too, so that what shows is what is burnt."
    Colour "colour"
        "A colour is written as #rgb, #rrggbb or a colour name such as red."
    ConstantPower "constant-power"
        "A beam of constant power (M3, M106) burns on where the head stands: when the cable is pulled, when the computer is late, and wherever the controller waits. Power that follows the speed (M4, follows-speed = true) goes out by itself. Where it must be constant, constant = \"accepted\" in [beam] of the machine's profile says that somebody stands beside it, and --accept constant-power says so for one run."
    Contradiction "contradiction"
        "Two keys say different things about the same matter; which is meant cannot be guessed."
    Covered "covered"
        "Later paint lies over part of what is engraved, white among it, and that part does not show on the page: it is not engraved. under = \"keep\" in [[artwork]] engraves all of it."
    Cropped "cropped"
        "crop = \"page\" cut away what lay beyond the page."
    CrossingCuts "crossing-cuts"
        "Closed outlines of a cut cross each other. Nobody can tell what is part and what is hole; the overlap falls out as scrap. Unite them, or make an area of them with [[shape]] kind = \"area\"."
    CrowdedLines "crowded-lines"
        "Thousands of shapes lie on one another, so every line is near every other and their number is squared. What was found until then is told; what comes later was not looked at. Copies whose pitch is far too small are the usual cause."
    CutFirst "cut-first"
        "A step engraves after another has cut. Cut parts may drop or move, and the engraving then misses them. List engraving first."
    CutShort "cut-short"
        "A DXF ends with EOF; this one does not, so it was probably not copied whole."
    DenseLines "dense-lines"
        "Engraved lines lie closer together than the beam is wide: every spot is burnt more than once, deeper and browner than the power suggests."
    DoubleLine "double-line"
        "A line lies on another one of the same step, in whole or in part, so it would be burnt twice: deeper, wider and browner. Often a shape was pasted twice, or two neighbours share an edge."
    DroppedDoubles "dropped-doubles"
        "Stretches that were drawn twice in one colour were dropped, as drop-doubles asks."
    DwellLit "dwell-lit"
        "The head stands still with the beam on. Piercing does so on purpose; anything else burns a hole."
    Effect "effect"
        "A clip path, mask or filter changes how shapes look, and this version would burn them as if it were not there. Apply it in the drawing program."
    EmptyFile "empty-file"
        "The file has no content. Save it again."
    EmptyTake "empty-take"
        "A take without a condition would take everything. Say what it takes; rest = true takes what no other step does."
    ExternalImage "external-image"
        "The artwork refers to a bitmap in another file. Such references are never followed."
    FarFromPage "far-from-page"
        "Everything lies off the page. Programs that place the page on the bed would send the head outside it. Move the drawing onto its page, or place it with [place] at."
    FineDetail "fine-detail"
        "A closed line is smaller than the beam is wide: it burns to a dot."
    FocusDeparture "focus-departure"
        "An object in the rotary is not a cylinder: its surface rises and falls under the beam. The message says by how much over the artwork and which focus height halves it."
    Format "format"
        "The file is not what its name says, or of a kind that this version does not read."
    Frequency "frequency"
        "Some steps say a pulse frequency and some do not. The source keeps what it was told last, so every step must say it."
    GatheredColours "gathered-colours"
        "colour-tolerance took colours near each other for one; the first that is met stands for all."
    Hidden "hidden"
        "The file says that these things are not shown: layers switched off or frozen, invisible entities, sheets for printing. They are left out."
    HiddenUnder "hidden-under"
        "A fill is wholly covered by a later one of another colour. Nobody sees it, and its area is not engraved (unless under = \"keep\"); a step that follows its outline burns that all the same."
    HomeUnknown "home-unknown"
        "A program goes home with G28 or G30, to a place that the controller has stored. It is measured as the machine's zero."
    HugeBitmap "huge-bitmap"
        "The bitmap has more pixels than fit into memory. A laser resolves about ten pixels to the mm."
    HugeFile "huge-file"
        "The file is larger than 256 MB."
    JoinedGaps "joined-gaps"
        "Ends of lines that nearly met were joined by short straight lines, as join-gaps asks."
    KerfBite "kerf-bite"
        "A line, moved aside by half the kerf, runs so near to another part that the beam removes material of it: parts nearer to each other than the kerf, an island in a tight hole. Each place is told with the area lost and how deep it reaches into the part. Deeper than deepest-bite of the step (half the kerf where it is left out) is refused. Move the parts apart by a kerf; where they are meant to share an edge, cut it once on the line: shared-edges = true, side = \"on-line\"."
    KerfSplits "kerf-splits"
        "A neck of the shape is narrower than the kerf, so the corrected line falls into several. Each is cut, and the neck is lost. Widen it in the drawing."
    KerfVanishes "kerf-vanishes"
        "The beam is wider than the shape: moved by half the kerf towards its inside, nothing of the line is left. Cut such shapes on the line in a step of their own (side = \"on-line\"), or leave them out."
    KeyWithoutUse "key-without-use"
        "A key belongs to another kind of step: kerf, leads and bridges belong to lines that are followed, spacing and areas to engraving. It is refused so that nobody believes it was done."
    LargeStock "large-stock"
        "The stock is larger than the bed. Only what lies on the bed can be reached."
    LeadRoom "lead-room"
        "A lead runs through scrap, clear of every other line and inside the stock. Where there is no room for it the line is begun on itself, and the mark of the start is on the part."
    LeakingSolid "leaking-solid"
        "Edges of a solid model must join exactly two triangles; here some do not, so inside and outside cannot be told everywhere."
    Leftover "leftover"
        "A shape is taken by no step, so nothing is done with it. Add a step, or say leave-out."
    LitAtEnd "lit-at-end"
        "The program ends with the beam switched on. Whatever the head does next burns."
    LitLift "lit-lift"
        "The focus goes up or down with the beam on while the head stands: all of that time one spot burns."
    LitPause "lit-pause"
        "The program waits for the operator (M0, M1, M6, M60) with the beam on at constant power. It burns one spot until somebody comes."
    LitStart "lit-start"
        "M3 switches the beam on at a power that an earlier line has said, before anything moves: controllers remember S."
    LitTravel "lit-travel"
        "A travel move is made while the beam is switched on. Controllers in laser mode switch it off by themselves, others burn a line across the work."
    LiveText "live-text"
        "Text is drawn with a font that another machine may not have. Turn it into outlines in the drawing program."
    LockedPdf "locked-pdf"
        "The PDF asks for a password. Save a copy without one."
    LostBlock "lost-block"
        "A block reference of a DXF names a block that is missing, draws itself, or nests too deeply. It is left out."
    Marks "marks"
        "Registration marks pair points of the drawing with points found on the bed. Two far apart fix place, turn and size; three or more, not on one line, an affine transform."
    Misnamed "misnamed"
        "The ending of the file promises another kind than its content is. The content decides."
    MissingFont "missing-font"
        "Text asks for a font that is not there, and another was taken: letters differ in shape and width. Install the font, or turn text into outlines in the drawing program."
    MissingKey "missing-key"
        "A key that has no sensible default is missing."
    NestedTooDeep "nested-too-deep"
        "Elements are nested more than a thousand deep."
    NoArea "no-area"
        "After growing, bounding and insetting, nothing is left to engrave."
    NoBoundary "no-boundary"
        "Engraving outside of shapes needs to know how far: up to the stock's edge, or to the closed shapes that boundary takes."
    NoDiameter "no-diameter"
        "A program turns a rotary, and what the rotary holds is not known. Once its diameter is said, lengths round the object count too."
    NoFeed "no-feed"
        "A feed move needs a feed (F) above zero."
    NoFocusAxis "no-focus-axis"
        "A job lowers or lifts the focus, or a profile asks for clearance in travel, and the machine profile has no [axis.z]. Describe the axis, or leave the focus where it is."
    NoMachine "no-machine"
        "No machine profile of this name was found beside the job or among the shipped ones."
    NoMoves "no-moves"
        "The program moves nothing."
    NoPage "no-page"
        "The file has no such page."
    NoRoom "no-room"
        "Copies are asked for where not even one fits, or a sheet that is not needed."
    NoRotary "no-rotary"
        "The job has [rotary], and the machine's profile has none."
    NoSuchStep "no-such-step"
        "Steps are chosen by name, and none is called so."
    NoTable "no-table"
        "Power was asked for in mA or W, and the machine profile has no measured table that says which S value gives it. Measure the source at a few percentages and write them into [beam] table; or ask for percent."
    NoUnits "no-units"
        "The program never says G21 (mm) or G20 (inch), so its size depends on how the controller was left."
    NotABitmap "not-a-bitmap"
        "image = { … } engraves the pixels of bitmaps; shapes have none. Give shapes a step with lines or rings."
    NotBuilt "not-built"
        "The key is part of Tin Kite's job file, but this version cannot do it yet, and does not pretend to."
    NotRead "not-read"
        "The DXF holds kinds of entity that are not read (dimensions, images, meshes …). Explode them into lines if they are to be burnt."
    NotUnderstood "not-understood"
        "The program holds a code that this version does not know. Positions and times after it cannot be trusted."
    NotVisible "not-visible"
        "The drawing holds elements without stroke and fill, hidden ones or ones of no size. They are left out."
    NotXml "not-xml"
        "SVG is XML, and this file is not well-formed."
    Nothing "nothing"
        "There is nothing to burn."
    OddPaint "odd-paint"
        "A gradient or pattern is not a colour that a step could take."
    OffBed "off-bed"
        "The job, or the run-up of its engraved lines, reaches beyond the bed."
    OffHeight "off-height"
        "A program asks the focus axis for a height that the profile's range does not have."
    OffObject "off-object"
        "The artwork reaches beyond the part of a round object whose diameters were measured."
    OffPage "off-page"
        "A shape lies beyond the page. It is burnt all the same when a step takes it, perhaps where nobody expects it."
    OffStock "off-stock"
        "The job reaches beyond the stock of [stock]. Stock of a fixed size lies with its front left corner at the bed's; with zero = \"stock\" or \"head\", with its anchor at the zero."
    OffsetLeft "offset-left"
        "A program sets a zero (G10 or G92) and ends without taking it back. Controllers keep G10 even when they are switched off: the next job, which counts from the machine's zero, would begin somewhere else."
    OpenFill "open-fill"
        "A filled shape is not closed. It looks filled on the screen, and cannot be engraved."
    OpenKerf "open-kerf"
        "Kerf is made up for by moving closed lines outwards or inwards. An open line has no inside; it is cut where it was drawn."
    OpenShape "open-shape"
        "An area can only be engraved when the lines round it are closed. Close them in the drawing program."
    OutOfFocus "out-of-focus"
        "The surface of a round object rises and falls by more than [beam] focus-depth over the artwork: lines get wide and weak. The message names the best focus height."
    OutOfRange "out-of-range"
        "The value is not one that makes sense there."
    OverCeiling "over-ceiling"
        "The power asked for is above the machine's ceiling, which protects the tube or diode."
    OverFull "over-full"
        "A program's S value is above the one that means 100 % on this machine. It was made for a machine with other S values."
    OverSpeed "over-speed"
        "The speed asked for is more than an axis can do; it would run slower and burn deeper than planned."
    OverWrap "over-wrap"
        "The artwork is wider than the object is round, so its ends would be burnt over each other. overlap = true in [rotary] allows it."
    OwnLine "own-line"
        "A line that the profile adds to programs could light the beam, move the head somewhere unchecked, or change what the program's numbers mean."
    Pages "pages"
        "A PDF has several pages; one of them is read. page = 2 in [[artwork]] names another."
    PassList "pass-list"
        "speed and power may be lists with one entry for each pass. Their lengths must agree with each other and with passes."
    PlainFont "plain-font"
        "Text of CAD programs uses fonts of their own. It is drawn in a plain one at its true height."
    PowerTable "power-table"
        "The measured table in [beam] is a list of rows: a percentage and what was read there in mA, W or both. Percentages and readings must rise from row to row."
    Profile "profile"
        "The profile of a round object is a list of pairs, distance along the axis and diameter there, the distances rising."
    Quantity "quantity"
        "Quantities are written in quotes, with their unit: \"12 mm\", \"20 mm/s\", \"60 %\"."
    Registered "registered"
        "Marks decide where the drawing lies. The residual is how far the marks miss after the best fit: more than half a mm means that one was measured wrongly."
    SameLevel "same-level"
        "The source has only so many levels between off and full ([beam] levels). Two powers that differ in the job fall on the same one, and burn alike."
    SameName "same-name"
        "Steps are told apart by name where some of them are chosen, and in reports: they need different ones."
    Seam "seam"
        "The artwork goes all the way round, and lines that lie on the seam are drawn at both of its ends. They are burnt once."
    SelfCrossing "self-crossing"
        "A closed outline crosses itself: cut, it falls to pieces at the crossing."
    SharedEdges "shared-edges"
        "Edges that two parts have in common were found and are cut once, as shared-edges asks."
    Sheets "sheets"
        "copies = { count = … } makes as many as fit on the stock or bed, and says how many sheets the rest takes."
    ShoulderWide "shoulder-wide"
        "A shoulder's power rises over a distance from the edge of the drawing. Nothing of the area is that far away, so the full power of the step is reached nowhere."
    SizeDoubt "size-doubt"
        "The size of the drawing suggests another unit: inches taken for mm (25.4 times), or pixels of another size. Check one known size."
    SizeZero "size-zero"
        "The drawing has no width or no height, so it cannot be scaled to one."
    SlowRows "slow-rows"
        "Rows are engraved slower than asked for, so they burn deeper. A controller plans only so many moves ahead and must be able to stop at the end of the last; where pixels or shoulders make moves of a few hundredths of a millimetre, that sets the speed. Or the run-up is too short."
    SlowWithoutEffect "slow-without-effect"
        "Power is to follow the speed (slow in ramp), and never changes: the head is nowhere slower than asked for, or the two powers are the same level of the source."
    Solid "solid"
        "A solid model has no lines to cut. Reliefs are not built into this version."
    Specks "specks"
        "Traced areas smaller than speck are left out."
    Starved "starved"
        "A cable carries so many bytes a second (a tenth of its baud), and a controller works through so many lines. Where the head runs lines faster than they come it stands and waits, and a beam that stays on burns a blot there. The time in plan counts the waiting. Let fewer lines say the same (wider spacing, a larger tolerance), or go slower; a link that is faster, lines-per-second in [link] if the controller does more, or power that follows the speed, end it too."
    SteepSurface "steep-surface"
        "The surface slopes so much that the spot is drawn out along it; beyond 60 deg the beam only grazes it."
    Stray "stray"
        "A shape has no length, a dot for instance. Nothing is burnt there."
    TakesNothing "takes-nothing"
        "A step's take fits no shape of the artwork. A colour is often misspelt."
    Toml "toml"
        "The job file is not TOML: text stands in quotes, tables in [brackets], lists of tables in [[double brackets]]."
    TooManyLines "too-many-lines"
        "The engraving would have millions of lines. Usually spacing has the wrong unit."
    TooMuch "too-much"
        "Drawn out, the file has millions of lines, usually since blocks or forms contain each other many times over."
    TooSlow "too-slow"
        "A speed is so low that no F word of a program can say it: the text would ask for a feed of nothing."
    TravelSpeed "travel-speed"
        "Rapid moves are as fast as the controller makes them; a speed for them would be ignored."
    TwoSizes "two-sizes"
        "Proportions are kept, so one of scale, width and height says it all."
    UnitDoubt "unit-doubt"
        "The page is given in pixels or not at all. Pixels are taken as 1/96 inch, but some programs mean 1/72 or 1/90. Check one known size."
    UnitsKnown "units-known"
        "The drawing gives its page in mm, inch or the like, so there is nothing for units to decide. scale, width or height change the size."
    UnknownCode "unknown-code"
        "A program uses an M code that means something to some controllers only. It is passed over."
    UnknownId "unknown-id"
        "order of a step lists an id that no shape of the step has. The rest is ordered as it stands; what is not listed comes last. Ids are those of the drawing; copies share the id of what they are copies of."
    UnknownKey "unknown-key"
        "The key does not exist. Keys are spelt with hyphens."
    UnknownWord "unknown-word"
        "The value is not one of the words that fit there."
    UnreadLine "unread-line"
        "A line of the program is not RS-274/NGC."
    Unreadable "unreadable"
        "A file that the call or the job names cannot be opened."
    Unsendable "unsendable"
        "A line of the program cannot be sent as it stands: it is longer than the controller takes, or holds a byte on which controllers act at once. Nothing was sent."
    UnusedFill "unused-fill"
        "Shapes have both a line and a fill; steps follow the line, none engraves the fill."
    Veil "veil"
        "Paint that is half transparent is taken for the colour that it has over paper. It hides nothing: what lies under it shows through, and is burnt as well."
    WrongType "wrong-type"
        "The value is of another type: text for a number, a table for a list."
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn codes_are_sorted_and_found() {
        assert!(Code::ALL.is_sorted_by_key(|code| code.text()));
        assert!(Code::ALL.iter().all(|code| Code::of(code.text()) == Some(*code)));
        assert_eq!(Code::of("xyzzy"), None);
    }
}
