//! Many results together: sum, mean, median, spread, share of winners and mean with their intervals,
//! profit a day, drawdown, and the same by any division. Used for cycles of drills and for closed
//! campaigns alike.
//!
//! - Share of winners: the score interval of Wilson (1927), *Journal of the American Statistical
//!   Association* 22, 209–212: with z = 1.96, n results and the share p,
//!   (p + z²/2n ± z √(p(1−p)/n + z²/4n²)) / (1 + z²/n). It stays within 0 and 1 and means something for
//!   few results too.
//! - Mean: the percentile bootstrap of Efron (1979), *Annals of Statistics* 7, 1–26: the 2.5 % and
//!   97.5 % quantiles of the means of 4,000 samples of the same size, drawn with replacement from a
//!   seed. With few results it is too narrow; with one there is none.

use rand_chacha::ChaCha8Rng;
use rand_chacha::rand_core::{RngCore, SeedableRng};

use desk::Money;

/// Two-sided 95 % of the normal law.
const Z: f64 = 1.959_963_984_540_054;
/// Samples of the bootstrap.
const SAMPLES: usize = 4_000;

/// From here to there.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Interval {
    /// The lower end, in the unit of what it is about.
    pub low: f64,
    /// The upper end, in the unit of what it is about.
    pub high: f64,
}

/// The score interval of a share of `won` among `all`, 95 %; nothing of none.
pub fn wilson(won: usize, all: usize) -> Option<Interval> {
    if all == 0 {
        return None;
    }
    let (n, p) = (all as f64, won as f64 / all as f64);
    let zz = Z * Z / n;
    let middle = p + zz / 2.0;
    let half = Z * (p * (1.0 - p) / n + zz / (4.0 * n)).sqrt();
    Some(Interval {
        low: ((middle - half) / (1.0 + zz)).max(0.0),
        high: ((middle + half) / (1.0 + zz)).min(1.0),
    })
}

/// Arithmetic mean; nothing of none.
pub fn mean(values: &[f64]) -> Option<f64> {
    (!values.is_empty()).then(|| values.iter().sum::<f64>() / values.len() as f64)
}

/// The one in the middle, of an even number the mean of the two.
pub fn median(values: &[f64]) -> Option<f64> {
    let mut all = values.to_vec();
    all.sort_by(f64::total_cmp);
    let half = all.len() / 2;
    match all.len() {
        0 => None,
        n if n % 2 == 1 => Some(all[half]),
        _ => Some(0.5 * (all[half - 1] + all[half])),
    }
}

/// Standard deviation of a sample (n − 1); nothing of fewer than two.
pub fn spread(values: &[f64]) -> Option<f64> {
    let middle = mean(values).filter(|_| values.len() > 1)?;
    let squares: f64 = values.iter().map(|v| (v - middle).powi(2)).sum();
    Some((squares / (values.len() - 1) as f64).sqrt())
}

/// The percentile bootstrap of the mean, 95 %; nothing of fewer than two.
pub fn bootstrap_mean(values: &[f64], seed: u64) -> Option<Interval> {
    let n = values.len();
    if n < 2 {
        return None;
    }
    let mut random = ChaCha8Rng::seed_from_u64(seed);
    let mut means: Vec<f64> = (0..SAMPLES)
        .map(|_| {
            let drawn = (0..n).map(|_| {
                // Of 2⁶⁴ numbers on n places none is favoured by more than n/2⁶⁴.
                let place = (u128::from(random.next_u64()) * n as u128) >> 64;
                values[place as usize]
            });
            drawn.sum::<f64>() / n as f64
        })
        .collect();
    means.sort_by(f64::total_cmp);
    let at = |q: f64| means[(q * (SAMPLES - 1) as f64).round() as usize];
    Some(Interval {
        low: at(0.025),
        high: at(0.975),
    })
}

/// The deepest fall of a curve below its highest point so far; above zero.
pub fn drawdown(curve: impl Iterator<Item = Money>) -> Money {
    let (mut highest, mut deepest) = (Money::ZERO, Money::ZERO);
    for value in curve {
        highest = highest.max(value);
        deepest = deepest.max(highest - value);
    }
    deepest
}

/// What the summary needs to know of one cycle.
#[derive(Debug, Clone, PartialEq)]
pub struct CycleSummed {
    /// Profit after fees.
    pub profit: Money,
    /// Calendar days it took.
    pub days: i64,
    /// Capital it needed at the most; zero where none.
    pub capital: Money,
}

/// Many results together.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct DrillSummary {
    /// The number of cycles summed up.
    pub count: usize,
    /// How many made money.
    pub won: usize,
    /// Their share's interval.
    pub share: Option<Interval>,
    /// Sum of their profits.
    pub sum: Money,
    /// Mean profit of a cycle, in money.
    pub mean: Option<f64>,
    /// Where the true mean lies with 95 % confidence, in money.
    pub mean_interval: Option<Interval>,
    /// Half of the cycles made less than this, in money.
    pub median: Option<f64>,
    /// Standard deviation of the profits, in money; absent below two cycles.
    pub spread: Option<f64>,
    /// Mean of those that made money.
    pub mean_win: Option<f64>,
    /// Mean of those that did not.
    pub mean_loss: Option<f64>,
    /// The smallest profit of a cycle, below zero where it lost.
    pub worst: Option<Money>,
    /// The largest profit of a cycle.
    pub best: Option<Money>,
    /// Days of all together.
    pub days: i64,
    /// Profit for each of them; one that took no day counts as one.
    pub a_day: Option<f64>,
    /// Profit for each day and unit of capital, in percent.
    pub a_day_of_capital: Option<f64>,
    /// Most results in a row that did not make money.
    pub losses_in_a_row: usize,
}

/// A part of many results, by some division.
#[derive(Debug, Clone, PartialEq)]
pub struct Split {
    /// Which part, in words.
    pub part: String,
    /// Places of its results among all.
    pub of: Vec<usize>,
    /// All of them together.
    pub summary: DrillSummary,
}

/// Adds results up, in the order of their ends.
pub fn summed(all: &[CycleSummed], seed: u64) -> DrillSummary {
    let profits: Vec<f64> = all.iter().map(|c| c.profit.to_f64()).collect();
    let part = |won: bool| -> Vec<f64> {
        profits
            .iter()
            .copied()
            .filter(|p| (*p > 0.0) == won)
            .collect()
    };
    let (wins, losses) = (part(true), part(false));
    let (mut row, mut longest) = (0, 0);
    for c in all {
        row = if c.profit > Money::ZERO { 0 } else { row + 1 };
        longest = longest.max(row);
    }
    let days: i64 = all.iter().map(|c| c.days.max(1)).sum();
    let sum: Money = all.iter().map(|c| c.profit).sum();
    let tied: f64 = all
        .iter()
        .map(|c| c.capital.to_f64() * c.days.max(1) as f64)
        .sum();
    DrillSummary {
        count: all.len(),
        won: wins.len(),
        share: wilson(wins.len(), all.len()),
        sum,
        mean: mean(&profits),
        mean_interval: bootstrap_mean(&profits, seed),
        median: median(&profits),
        spread: spread(&profits),
        mean_win: mean(&wins),
        mean_loss: mean(&losses),
        worst: all.iter().map(|c| c.profit).min(),
        best: all.iter().map(|c| c.profit).max(),
        days,
        a_day: (days > 0).then(|| sum.to_f64() / days as f64),
        a_day_of_capital: (tied > 0.0).then(|| 100.0 * sum.to_f64() / tied),
        losses_in_a_row: longest,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// 81 of 263 with z = 1.96: Newcombe (1998), *Statistics in Medicine* 17, 857–872, table I gives
    /// 0.2553 to 0.3662 (from memory, recomputed); 0 of 20 gives 0 to 0.1611, 1 of 29 0.0061 to 0.1718.
    #[test]
    fn score_intervals_of_a_published_table() {
        for (won, all, low, high) in [
            (81, 263, 0.2553, 0.3662),
            (15, 148, 0.0624, 0.1605),
            (0, 20, 0.0, 0.1611),
            (1, 29, 0.0061, 0.1718),
        ] {
            let i = wilson(won, all).unwrap();
            assert!(
                (i.low - low).abs() < 6e-5 && (i.high - high).abs() < 6e-5,
                "{i:?}"
            );
        }
        assert_eq!(wilson(0, 0), None);
    }

    /// By hand: 1, 2, 3, 4, 10 have mean 4, median 3 and squares 9 + 4 + 1 + 0 + 36 = 50, so a spread of
    /// √12.5. The bootstrap of the mean of many draws lies near mean ± 1.96·s/√n.
    #[test]
    fn mean_median_spread_and_the_bootstrap() {
        let few = [10.0, 1.0, 3.0, 2.0, 4.0];
        assert_eq!((mean(&few), median(&few)), (Some(4.0), Some(3.0)));
        assert!((spread(&few).unwrap() - 12.5_f64.sqrt()).abs() < 1e-12);
        assert_eq!(median(&few[..4]), Some(2.5));
        let many: Vec<f64> = (0..400).map(|i| f64::from(i * 37 % 400)).collect();
        let (m, s) = (mean(&many).unwrap(), spread(&many).unwrap() / 20.0);
        let i = bootstrap_mean(&many, 7).unwrap();
        assert!((i.low - (m - Z * s)).abs() < 0.1 * s && (i.high - (m + Z * s)).abs() < 0.1 * s);
        assert_eq!(bootstrap_mean(&many, 7), Some(i));
        assert_eq!(bootstrap_mean(&few[..1], 7), None);
    }

    /// +100, −40, −60, 0 and +30 over 10, 5, 5, 1 and 0 days: sum 30, two of five, three in a row that
    /// made nothing, 22 days with the one that took none counted as one.
    #[test]
    fn five_results_by_hand() {
        let of = |profit, days| CycleSummed {
            profit: Money::whole(profit),
            days,
            capital: Money::whole(1_000),
        };
        let s = summed(
            &[of(100, 10), of(-40, 5), of(-60, 5), of(0, 1), of(30, 0)],
            1,
        );
        assert_eq!((s.count, s.won, s.losses_in_a_row, s.days), (5, 2, 3, 22));
        assert_eq!((s.sum, s.mean_win), (Money::whole(30), Some(65.0)));
        assert!((s.mean_loss.unwrap() + 100.0 / 3.0).abs() < 1e-12);
        assert!((s.a_day_of_capital.unwrap() - 100.0 * 30.0 / 22_000.0).abs() < 1e-12);
        let curve = [50, 120, 60, 130, 20].map(Money::whole);
        assert_eq!(drawdown(curve.into_iter()), Money::whole(110));
    }
}
