//! Which words of a line exclude each other: one of each modal group, as the public `grbl` interface has it.

/// The modal groups of which a line has words.
#[derive(Debug, Clone, Copy, Default)]
pub(crate) struct Groups(u16);

impl Groups {
    /// A line has this word as well: `G` or `M` and its number in tenths.
    ///
    /// # Errors
    /// `error:21` where it has another one of the same group.
    pub(crate) fn take(&mut self, letter: u8, tenths: i32) -> Result<(), u16> {
        let Some(group) = group(letter, tenths) else { return Ok(()) };
        let bit = 1 << group;
        if self.0 & bit != 0 {
            return Err(21);
        }
        self.0 |= bit;
        Ok(())
    }
}

/// The group of a word; none for words that the interface does not have.
fn group(letter: u8, tenths: i32) -> Option<u8> {
    Some(match (letter, tenths) {
        // What counts for its line only.
        (b'G', 40 | 100 | 280 | 281 | 300 | 301 | 530 | 920 | 921) => 0,
        (b'G', 0 | 10 | 20 | 30 | 382..=385 | 800) => 1,
        (b'G', 170 | 180 | 190) => 2,
        (b'G', 900 | 910) => 3,
        (b'G', 911) => 4,
        (b'G', 930 | 940) => 5,
        (b'G', 200 | 210) => 6,
        (b'G', 400) => 7,
        (b'G', 431 | 490) => 8,
        (b'G', 540 | 550 | 560 | 570 | 580 | 590) => 9,
        (b'G', 610) => 10,
        (b'M', 0 | 10 | 20 | 300) => 11,
        (b'M', 30 | 40 | 50) => 12,
        (b'M', 70 | 80 | 90) => 13,
        _ => return None,
    })
}
