//! Which sheets of a job are made: one, all, or those from one on.

use tinkite_files::refusal::Refusal;

/// Which sheets of a job are made.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Sheets {
    /// One of them, counted from 1.
    One(u32),
    /// One after the other.
    Several {
        /// The first of them, counted from 1.
        first: u32,
        /// The last of them; `None`: the last that there is.
        last: Option<u32>,
    },
}

impl Sheets {
    /// Reads `2`, `all`, `3-` or `3-5`.
    pub(super) fn read(text: &str) -> Result<Self, String> {
        let number = |text: &str| text.trim().parse().ok().filter(|number| *number > 0);
        let wanted = || "a sheet counts from 1: write 2, 3-5, 3- (from the third on) or all";
        let text = text.trim();
        if text.eq_ignore_ascii_case("all") {
            return Ok(Self::Several { first: 1, last: None });
        }
        let Some((first, last)) = text.split_once('-') else {
            return number(text).map(Self::One).ok_or_else(|| wanted().into());
        };
        let first = number(first).ok_or_else(wanted)?;
        let last = match last.trim() {
            "" => None,
            last => Some(number(last).filter(|last| *last >= first).ok_or_else(wanted)?),
        };
        Ok(Self::Several { first, last })
    }

    /// The only one.
    ///
    /// # Errors
    /// There are several.
    pub(super) fn one(self) -> Result<u32, Refusal> {
        match self {
            Self::One(number) => Ok(number),
            Self::Several { .. } => Err(Refusal::Usage(
                "one call makes one sheet here: say --sheet NUMBER; run and plan take several"
                    .into(),
            )),
        }
    }

    /// The first of them.
    pub(crate) fn first(self) -> u32 {
        match self {
            Self::One(first) | Self::Several { first, .. } => first,
        }
    }

    /// The last of them, where a job takes so many sheets.
    ///
    /// # Errors
    /// There are fewer.
    pub(crate) fn last(self, sheets: u32) -> Result<u32, Refusal> {
        let last = match self {
            Self::One(last) => last,
            Self::Several { last, .. } => last.unwrap_or(sheets),
        };
        if last > sheets {
            return Err(Refusal::Usage(format!(
                "there is no sheet {last}: say a sheet from 1 to {sheets}"
            )));
        }
        Ok(last)
    }
}
