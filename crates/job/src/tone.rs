//! From a measured wedge to a tone curve: which power gives which darkness.

use thiserror::Error;

/// Why no tone curve comes of what was measured.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Error)]
pub enum ToneError {
    /// Too few powers were measured.
    #[error("{0} powers are too few for a tone curve; 16 make a good one")]
    Few(usize),
    /// More power does not burn darker.
    #[error(
        "the stock hardly gets darker from the weakest to the strongest: take a wider range of powers"
    )]
    Flat,
}

/// Pairs of darkness and power, both rising, both shares of one.
#[derive(Debug, Clone, PartialEq)]
pub struct ToneCurve(pub Vec<(f64, f64)>);

/// The curve through measured pairs of power and darkness: made to rise (pool adjacent violators; Ayer and
/// others, 1955), smoothed over neighbours, and thinned where darkness does not rise.
///
/// # Errors
/// Too few pairs, or stock that does not get darker.
pub fn tone_curve(measured: &[(f64, f64)]) -> Result<ToneCurve, ToneError> {
    let mut pairs = measured.to_vec();
    pairs.sort_by(|a, b| a.0.total_cmp(&b.0));
    pairs.dedup_by(|a, b| (a.0 - b.0).abs() < 1e-9);
    if pairs.len() < 4 {
        return Err(ToneError::Few(pairs.len()));
    }
    let rising = never_falling(&pairs.iter().map(|(_, darkness)| *darkness).collect::<Vec<_>>());
    let smooth: Vec<f64> = (0..rising.len())
        .map(|n| match n {
            0 => rising[0],
            _ if n + 1 == rising.len() => rising[n],
            _ => 0.25 * rising[n - 1] + 0.5 * rising[n] + 0.25 * rising[n + 1],
        })
        .collect();
    let (first, last) = (smooth[0], smooth[smooth.len() - 1]);
    if last - first < 0.1 {
        return Err(ToneError::Flat);
    }
    let mut curve: Vec<(f64, f64)> = Vec::new();
    for ((power, _), darkness) in pairs.iter().zip(smooth) {
        // What burns no darker than a weaker one has no place on the curve.
        let darkness = darkness.clamp(0.0, 1.0);
        if curve.last().is_none_or(|(before, _)| darkness > before + 1e-3) {
            curve.push((darkness, *power));
        }
    }
    Ok(ToneCurve(curve))
}

/// The nearest values that never fall.
fn never_falling(values: &[f64]) -> Vec<f64> {
    let mut pools: Vec<(f64, usize)> = Vec::new();
    for value in values {
        pools.push((*value, 1));
        while let [.., (a, n), (b, m)] = pools[..]
            && a > b
        {
            pools.truncate(pools.len() - 2);
            pools.push(((a * n as f64 + b * m as f64) / (n + m) as f64, n + m));
        }
    }
    pools.into_iter().flat_map(|(value, count)| std::iter::repeat_n(value, count)).collect()
}

impl ToneCurve {
    /// The power that gives a darkness, in proportion between measured pairs.
    #[must_use]
    pub fn power(&self, darkness: f64) -> f64 {
        let pairs = &self.0;
        let next = pairs.partition_point(|(known, _)| *known < darkness);
        match (next.checked_sub(1).map(|n| pairs[n]), pairs.get(next)) {
            (Some((d0, p0)), Some((d1, p1))) => p0 + (p1 - p0) * (darkness - d0) / (d1 - d0),
            (None, Some((_, power))) => *power,
            (Some((_, power)), None) => power,
            (None, None) => 0.0,
        }
    }

    /// The darkness that a power gives, in proportion between measured pairs.
    #[must_use]
    pub fn darkness(&self, power: f64) -> f64 {
        let pairs = &self.0;
        let next = pairs.partition_point(|(_, known)| *known < power);
        match (next.checked_sub(1).map(|n| pairs[n]), pairs.get(next)) {
            (Some((d0, p0)), Some((d1, p1))) => d0 + (d1 - d0) * (power - p0) / (p1 - p0),
            (None, Some((darkness, _))) => *darkness,
            (Some((darkness, _)), None) => darkness,
            (None, None) => 0.0,
        }
    }

    /// As a step says it: `[["0 %", "8 %"], …]`.
    #[must_use]
    pub fn toml(&self) -> String {
        let percent = |share: f64| tinkite_base::quantity::plain(share * 100.0, 2);
        let pair = |(d, p): &(f64, f64)| format!("[\"{} %\", \"{} %\"]", percent(*d), percent(*p));
        format!("[{}]", self.0.iter().map(pair).collect::<Vec<_>>().join(", "))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_curve_through_a_wedge_makes_darkness_linear() {
        // A stock that darkens late and then quickly, measured with an error of up to 1 %.
        let burns = |power: f64| 0.85 * (1.0 - (-(6.0 * (power - 0.05).max(0.0)).powf(1.6)).exp());
        let noise = [0.004, -0.01, 0.007, -0.003, 0.009, -0.008, 0.002, 0.006];
        let wedge: Vec<(f64, f64)> = (0..24)
            .map(|n| 0.06 + 0.54 * f64::from(n) / 23.0)
            .enumerate()
            .map(|(n, power)| (power, burns(power) + noise[n % 8]))
            .collect();
        let curve = tone_curve(&wedge).unwrap();
        assert!(curve.0.windows(2).all(|two| two[0].0 < two[1].0 && two[0].1 < two[1].1));
        let (first, last) = (curve.0[0].0, curve.0[curve.0.len() - 1].0);
        let worst = (0..=100)
            .map(|n| first + (last - first) * f64::from(n) / 100.0)
            .map(|wanted| (burns(curve.power(wanted)) - wanted).abs())
            .fold(0.0, f64::max);
        assert!(worst < 0.03, "{worst}");
    }

    #[test]
    fn what_does_not_darken_is_refused() {
        assert!(tone_curve(&[(0.1, 0.2), (0.2, 0.2)]).is_err());
        let flat: Vec<(f64, f64)> = (0..8).map(|n| (f64::from(n) / 10.0, 0.3)).collect();
        assert!(tone_curve(&flat) == Err(ToneError::Flat));
        assert_eq!(
            never_falling(&[1.0, 3.0, 2.0, 2.0, 5.0, 4.0]),
            [1.0, 7.0 / 3.0, 7.0 / 3.0, 7.0 / 3.0, 4.5, 4.5]
        );
    }
}
