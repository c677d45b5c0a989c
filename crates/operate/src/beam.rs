//! What is said of the beam: only what was seen.

use tinkite_wire::{Dark, Span};

/// What is known of the beam, to follow another sentence.
pub fn words(dark: Dark) -> &'static str {
    match dark {
        Dark::Untouched => "",
        Dark::Confirmed => "; the beam is off",
        Dark::Asked => {
            "; the controller was told to switch the beam off and did not confirm it: LOOK AT THE MACHINE"
        }
        Dark::Unknown => "; THE BEAM MAY BE ON: switch the machine off",
    }
}

/// The same in one word.
pub fn word(dark: Dark) -> &'static str {
    match dark {
        Dark::Untouched => "untouched",
        Dark::Confirmed => "confirmed",
        Dark::Asked => "asked",
        Dark::Unknown => "unknown",
    }
}

/// A board that was told to stop and cannot, in words.
#[must_use]
pub fn runs_on(left: Span) -> String {
    // Rounded up: nobody should come too early.
    let seconds = left.0.div_ceil(1_000_000);
    format!(
        "the board has no quick stop (M410): it runs what it has planned, for {seconds} s at most"
    )
}
