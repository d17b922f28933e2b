//! Where a volatility stands in its own past, and what the price has realised.

/// Close-to-close volatility a year of closes, oldest first, at 252 sessions a year (sample
/// deviation; Hull, *Options, Futures and Other Derivatives*, ch. 15.4). Nothing for fewer than
/// three closes.
pub fn realised(closes: &[f64]) -> Option<f64> {
    if closes.len() < 3 {
        return None;
    }
    let returns: Vec<f64> = closes.windows(2).map(|w| (w[1] / w[0]).ln()).collect();
    let n = returns.len() as f64;
    let mean = returns.iter().sum::<f64>() / n;
    Some((returns.iter().map(|r| (r - mean).powi(2)).sum::<f64>() / (n - 1.0) * 252.0).sqrt())
}

/// Where today's value stands in the past year.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct VolRank {
    /// 100 (today − lowest) / (highest − lowest), today among them.
    pub rank: f64,
    /// Percent of past days that were below today.
    pub percentile: f64,
}

/// Where `today` stands among `past` values; nothing without a past, or where all are equal.
pub fn vol_rank(today: f64, past: &[f64]) -> Option<VolRank> {
    let (low, high) = past
        .iter()
        .fold((today, today), |(a, b), v| (a.min(*v), b.max(*v)));
    if past.is_empty() || high <= low {
        return None;
    }
    let below = past.iter().filter(|v| **v < today).count();
    Some(VolRank {
        rank: 100.0 * (today - low) / (high - low),
        percentile: 100.0 * below as f64 / past.len() as f64,
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Hull, *Options, Futures and Other Derivatives*, ch. 15.4, table 15.1 (from memory;
    /// recomputed): 19.3 % a year.
    #[test]
    fn twenty_one_closes_of_a_textbook() {
        let closes = [
            20.00, 20.10, 19.90, 20.00, 20.50, 20.25, 20.90, 20.90, 20.90, 20.75, 20.75, 21.00,
            21.10, 20.90, 20.90, 21.25, 21.40, 21.40, 21.25, 21.75, 22.00,
        ];
        assert!((realised(&closes).unwrap() - 0.193023).abs() < 1e-6);
        assert_eq!(realised(&closes[..2]), None);
    }

    /// 200 days at 20, 46 at 25, 5 at 60, today 26: rank 15.0, percentile 98.0 (by hand).
    #[test]
    fn rank_and_percentile_are_two_numbers() {
        let past: Vec<f64> = [(200, 20.0), (46, 25.0), (5, 60.0)]
            .iter()
            .flat_map(|(n, v)| vec![*v; *n])
            .collect();
        let s = vol_rank(26.0, &past).unwrap();
        assert!(
            (s.rank - 15.0).abs() < 1e-9 && (s.percentile - 100.0 * 246.0 / 251.0).abs() < 1e-9
        );
        assert_eq!(vol_rank(20.0, &[20.0, 20.0]), None);
    }
}
