//! The measured table of a source: what each share of full gives in mA and in W.

use thiserror::Error;
use tinkite_base::quantity::plain;

/// One measurement.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Measured {
    /// What was asked for, as a fraction of full.
    pub share: f64,
    /// Current that was read, mA.
    pub current: Option<f64>,
    /// Light that was read, W.
    pub watts: Option<f64>,
}

/// A curve through measured points that rises wherever they rise, and nowhere falls: piecewise
/// cubic with the slopes of F. N. Fritsch and R. E. Carlson, "Monotone piecewise cubic
/// interpolation", SIAM J. Numer. Anal. 17 (1980).
#[derive(Debug, Clone, PartialEq)]
struct Curve {
    x: Vec<f64>,
    y: Vec<f64>,
    slope: Vec<f64>,
}

impl Curve {
    /// Through `points`, which rise in x and do not fall in y; at least two.
    fn through(points: &[(f64, f64)]) -> Self {
        let (x, y): (Vec<f64>, Vec<f64>) = points.iter().copied().unzip();
        let n = x.len();
        let secant: Vec<f64> = (0..n - 1).map(|k| (y[k + 1] - y[k]) / (x[k + 1] - x[k])).collect();
        let mut slope: Vec<f64> = (0..n)
            .map(|k| match k {
                0 => secant[0],
                k if k == n - 1 => secant[n - 2],
                k => (secant[k - 1] + secant[k]) / 2.0,
            })
            .collect();
        for k in 0..n - 1 {
            if secant[k] == 0.0 {
                (slope[k], slope[k + 1]) = (0.0, 0.0);
                continue;
            }
            let (a, b) = (slope[k] / secant[k], slope[k + 1] / secant[k]);
            let length = a.hypot(b);
            if length > 3.0 {
                slope[k] = 3.0 / length * a * secant[k];
                slope[k + 1] = 3.0 / length * b * secant[k];
            }
        }
        Self { x, y, slope }
    }

    fn at(&self, x: f64) -> f64 {
        let last = self.x.len() - 1;
        let k = self.x.partition_point(|known| *known <= x).clamp(1, last) - 1;
        let h = self.x[k + 1] - self.x[k];
        let t = ((x - self.x[k]) / h).clamp(0.0, 1.0);
        let (t2, t3) = (t * t, t * t * t);
        self.y[k] * (2.0 * t3 - 3.0 * t2 + 1.0)
            + self.slope[k] * h * (t3 - 2.0 * t2 + t)
            + self.y[k + 1] * (3.0 * t2 - 2.0 * t3)
            + self.slope[k + 1] * h * (t3 - t2)
    }

    /// The least x at which `y` is reached; none above the last point.
    fn back(&self, y: f64) -> Option<f64> {
        let (mut low, mut high) = (*self.x.first()?, *self.x.last()?);
        if y > *self.y.last()? + 1e-12 {
            return None;
        }
        // Halving keeps the answer exact to the last bits of a double.
        for _ in 0..60 {
            let middle = f64::midpoint(low, high);
            if self.at(middle) < y { low = middle } else { high = middle }
        }
        Some(high)
    }
}

/// Why there is no table, or why it does not say something.
#[derive(Debug, Clone, Copy, PartialEq, Error)]
pub enum TableError {
    /// There is no row.
    #[error("the table is empty")]
    Empty,
    /// Shares do not rise.
    #[error("the percent column must rise from row to row")]
    Shares,
    /// A row lacks what others have.
    #[error("not every row has a value in {column}")]
    Gap {
        /// The column's unit.
        column: &'static str,
    },
    /// More was asked for, and less came.
    #[error("the {column} column falls at {} %; a source gives no less when more is asked for", plain(share * 100.0, 2))]
    Falls {
        /// The column's unit.
        column: &'static str,
        /// Where, as a share of full.
        share: f64,
    },
    /// Nobody measured in this unit.
    #[error("the machine's table has no {unit} column")]
    NoColumn {
        /// The unit.
        unit: &'static str,
    },
    /// More than was measured.
    #[error("the machine's table ends at {} {unit}", plain(*most, 3))]
    Beyond {
        /// The unit.
        unit: &'static str,
        /// The last that was measured.
        most: f64,
    },
}

/// What was measured at a source, as curves over the share of full.
#[derive(Debug, Clone, PartialEq)]
pub struct Table {
    current: Option<Curve>,
    watts: Option<Curve>,
    first: f64,
    last: Measured,
}

impl Table {
    /// A table of at least one measurement; with nothing asked for nothing comes out.
    ///
    /// # Errors
    /// What makes it no table: shares or readings that do not rise, columns with gaps.
    pub fn new(rows: &[Measured]) -> Result<Self, TableError> {
        let Some(last) = rows.last().copied() else { return Err(TableError::Empty) };
        for pair in rows.windows(2) {
            if pair[1].share <= pair[0].share {
                return Err(TableError::Shares);
            }
        }
        let column = |name: &'static str, read: fn(&Measured) -> Option<f64>| {
            let values: Vec<Option<f64>> = rows.iter().map(read).collect();
            if values.iter().all(Option::is_none) {
                return Ok(None);
            }
            let mut points = Vec::with_capacity(rows.len() + 1);
            if rows[0].share > 0.0 {
                points.push((0.0, 0.0));
            }
            for (row, value) in rows.iter().zip(values) {
                let Some(value) = value else {
                    return Err(TableError::Gap { column: name });
                };
                if points.last().is_some_and(|(_, before)| value < *before) {
                    return Err(TableError::Falls { column: name, share: row.share });
                }
                points.push((row.share, value));
            }
            Ok((points.len() > 1).then(|| Curve::through(&points)))
        };
        let current = column("mA", |row| row.current)?;
        let watts = column("W", |row| row.watts)?;
        Ok(Self { current, watts, first: rows[0].share, last })
    }

    /// The least share of full that was measured; below it the curves are a guess, down to nothing
    /// at zero.
    #[must_use]
    pub fn first(&self) -> f64 {
        self.first
    }

    /// The greatest share of full that was measured.
    #[must_use]
    pub fn last(&self) -> f64 {
        self.last.share
    }

    /// Current at a share of full, mA; `None` where it was not measured.
    #[must_use]
    pub fn current(&self, share: f64) -> Option<f64> {
        self.current.as_ref().map(|curve| curve.at(share))
    }

    /// Light at a share of full, W; `None` where it was not measured.
    #[must_use]
    pub fn watts(&self, share: f64) -> Option<f64> {
        self.watts.as_ref().map(|curve| curve.at(share))
    }

    /// What was measured at a share of full, for people: what flows, mA, else the light, W; the number and its
    /// unit.
    #[must_use]
    pub fn reading(&self, share: f64) -> Option<(f64, &'static str)> {
        let current = self.current(share).map(|current| (current, "mA"));
        current.or_else(|| self.watts(share).map(|watts| (watts, "W")))
    }

    /// The share of full that gives so many W.
    ///
    /// # Errors
    /// Not measured, or more than was measured.
    pub(crate) fn share_for_watts(&self, watts: f64) -> Result<f64, TableError> {
        Self::share(self.watts.as_ref(), watts, "W", self.last.watts)
    }

    /// The share of full at which so many mA flow.
    ///
    /// # Errors
    /// Not measured, or more than was measured.
    pub(crate) fn share_for_current(&self, current: f64) -> Result<f64, TableError> {
        Self::share(self.current.as_ref(), current, "mA", self.last.current)
    }

    fn share(
        curve: Option<&Curve>,
        value: f64,
        unit: &'static str,
        most: Option<f64>,
    ) -> Result<f64, TableError> {
        let curve = curve.ok_or(TableError::NoColumn { unit })?;
        let most = most.unwrap_or_default();
        curve.back(value).ok_or(TableError::Beyond { unit, most })
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn row(share: f64, watts: f64) -> Measured {
        Measured { share, current: Some(watts / 2.0), watts: Some(watts) }
    }

    #[test]
    fn measured_points_are_met_and_read_backwards() {
        let table = Table::new(&[row(0.1, 4.0), row(0.5, 30.0), row(0.9, 38.0)]).unwrap();
        assert!((table.watts(0.5).unwrap() - 30.0).abs() < 1e-9);
        assert!((table.share_for_watts(30.0).unwrap() - 0.5).abs() < 1e-9);
        assert!((table.share_for_current(2.0).unwrap() - 0.1).abs() < 1e-9);
        assert!(table.share_for_watts(38.5).unwrap_err().to_string().contains("ends at 38 W"));
    }

    #[test]
    fn a_table_that_falls_is_none() {
        let falls = Table::new(&[row(0.1, 4.0), row(0.5, 3.0)]).unwrap_err();
        assert!(falls.to_string().contains("falls at 50 %"), "{falls}");
        assert!(Table::new(&[row(0.5, 4.0), row(0.5, 5.0)]).is_err());
        assert!(Table::new(&[]).is_err());
        let none = Table::new(&[Measured { share: 0.5, current: None, watts: None }]).unwrap();
        assert!(none.share_for_watts(1.0).unwrap_err().to_string().contains("no W column"));
    }

    proptest! {
        #[test]
        fn between_the_points_it_rises_and_goes_there_and_back(
            steps in proptest::collection::vec((0.01..0.2f64, 0.1..9.0f64), 2..8),
            at in 0.0..1.0f64,
        ) {
            let mut rows = Vec::new();
            let (mut share, mut watts) = (0.0, 0.0);
            for (dx, dy) in &steps {
                share += dx;
                watts += dy;
                rows.push(row(share, watts));
            }
            let table = Table::new(&rows).unwrap();
            let mut before = 0.0;
            for n in 0..=200 {
                let y = table.watts(share * f64::from(n) / 200.0).unwrap();
                prop_assert!(y >= before - 1e-9);
                before = y;
            }
            let x = share * at;
            let back = table.share_for_watts(table.watts(x).unwrap()).unwrap();
            prop_assert!((back - x).abs() < 1e-6);
        }
    }
}
