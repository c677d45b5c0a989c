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
        26 | 27 => "a position is missing",
        28 => "a value is missing",
        29 => "there is no such work offset",
        31 | 36 => "a word is not used by this line",
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

#[cfg(test)]
mod tests {
    use super::*;
    use std::collections::BTreeMap;

    /// For each meaning the codes that have it.
    fn meanings(of: fn(u16) -> &'static str) -> BTreeMap<&'static str, Vec<u16>> {
        let mut all: BTreeMap<&'static str, Vec<u16>> = BTreeMap::new();
        (0..100).for_each(|code| all.entry(of(code)).or_default().push(code));
        all
    }

    #[test]
    fn codes_of_the_interface_mean_what_its_documentation_says() {
        let errors = meanings(error_meaning);
        for (code, word) in [
            (1, "letter"),
            (2, "number"),
            (3, "$"),
            (8, "idle"),
            (9, "locked"),
            (11, "long"),
            (15, "jog"),
            (17, "laser"),
            (20, "known"),
            (21, "group"),
            (22, "feed"),
            (23, "whole"),
            (24, "axis"),
            (25, "twice"),
            (28, "value"),
            (29, "offset"),
            (33, "target"),
        ] {
            assert!(error_meaning(code).contains(word), "{code}");
            assert_eq!(errors[error_meaning(code)], [code]);
        }
        assert_eq!(errors[error_meaning(26)], [26, 27]);
        assert_eq!(errors[error_meaning(36)], [31, 36]);
        assert_eq!(errors[error_meaning(34)], [34, 35]);
        assert_eq!(error_meaning(0), error_meaning(99));
        let alarms = meanings(alarm_meaning);
        assert_eq!(alarms[alarm_meaning(6)], [6, 7, 8, 9]);
        assert_eq!(alarms[alarm_meaning(4)], [4, 5]);
        for (code, word) in [(1, "limit switch"), (2, "travel"), (3, "reset")] {
            assert!(alarm_meaning(code).contains(word));
            assert_eq!(alarms[alarm_meaning(code)], [code]);
        }
        assert_eq!(alarm_meaning(0), error_meaning(0));
    }
}
