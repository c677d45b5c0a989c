//! What the codes of the public `grbl` 1.1 interface mean, and what to do about them.

/// What `error:N` means.
#[must_use]
pub fn error_meaning(code: u16) -> &'static str {
    match code {
        1 => "a word has no letter",
        2 => "a number is missing or wrong",
        3 => "the $ command is not known",
        8 => "this $ command needs an idle controller",
        9 => "the controller is locked: home it or unlock it first",
        11 => "the line is too long",
        15 => "the jog goes beyond the machine's travel",
        17 => "laser mode needs PWM output",
        20 => "a word is not known",
        21 => "two words of one group stand in one line",
        22 => "a feed is missing",
        23 => "a whole number is needed",
        24 => "two words want the same axis",
        25 => "a word stands twice in one line",
        26 => "a position is missing",
        31 => "a word is not used by this line",
        33 => "the arc or target makes no sense",
        34 | 35 => "the arc has no radius or offset",
        _ => "see the controller's documentation",
    }
}

/// What `ALARM:N` means.
#[must_use]
pub fn alarm_meaning(code: u16) -> &'static str {
    match code {
        1 => "a limit switch was hit; the position is lost, home the machine",
        2 => "a move goes beyond the machine's travel; nothing moved there",
        3 => "it was reset while moving; the position is lost, home the machine",
        4 | 5 => "the probe failed",
        6..=9 => "homing failed",
        _ => "see the controller's documentation",
    }
}
