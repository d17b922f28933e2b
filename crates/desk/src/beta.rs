//! How much a name moves with an index, as its returns say.

/// Least squares of a name's returns on those of an index, with a constant.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Beta {
    /// Slope: cov(name, index) / var(index).
    pub beta: f64,
    /// Constant, a session.
    pub alpha: f64,
    /// Part of the name's variance that the index explains.
    pub r_squared: f64,
    /// Standard error of the slope, n − 2 degrees of freedom.
    pub error: f64,
    /// Pairs of returns.
    pub pairs: usize,
}

impl Beta {
    /// Of simple returns, pair by pair; nothing for fewer than three pairs or an index that stands
    /// still. The textbook formulas of simple regression (Hull, *Options, Futures and Other
    /// Derivatives*, ch. 3.4 uses the slope as the hedge ratio).
    pub fn of(index: &[f64], name: &[f64]) -> Option<Beta> {
        let pairs = index.len().min(name.len());
        if pairs < 3 {
            return None;
        }
        let n = pairs as f64;
        let (index, name) = (&index[index.len() - pairs..], &name[name.len() - pairs..]);
        let mean = |of: &[f64]| of.iter().sum::<f64>() / n;
        let (mx, my) = (mean(index), mean(name));
        let (mut sxx, mut syy, mut sxy) = (0.0, 0.0, 0.0);
        for (x, y) in index.iter().zip(name) {
            sxx += (x - mx).powi(2);
            syy += (y - my).powi(2);
            sxy += (x - mx) * (y - my);
        }
        if sxx.sqrt() <= 1e-12 {
            return None;
        }
        let beta = sxy / sxx;
        let r_squared = if syy > 0.0 {
            sxy * sxy / (sxx * syy)
        } else {
            0.0
        };
        let rest = (syy - beta * sxy).max(0.0);
        Some(Beta {
            beta,
            alpha: my - beta * mx,
            r_squared,
            error: (rest / (n - 2.0) / sxx).sqrt(),
            pairs,
        })
    }
}

/// Two thirds of a beta and one third of 1: what is estimated tends to lie nearer 1 later (Blume,
/// *Journal of Finance* 26 (1971)).
pub fn toward_one(beta: f64) -> f64 {
    (2.0 * beta + 1.0) / 3.0
}

/// Simple returns of closes, oldest first.
pub fn returns(closes: &[f64]) -> Vec<f64> {
    closes.windows(2).map(|w| w[1] / w[0] - 1.0).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Ten pairs worked out by hand (slope and its error by the normal equations): 1.303130,
    /// constant 0.00022718, R² 0.957408, error 0.097176, two thirds of it and one third: 1.202087.
    #[test]
    fn a_regression_worked_out_by_hand() {
        let index = [
            0.010, -0.005, 0.004, -0.012, 0.007, 0.003, -0.002, 0.009, -0.006, 0.001,
        ];
        let name = [
            0.013, -0.004, 0.006, -0.017, 0.006, 0.006, -0.004, 0.014, -0.006, 0.0,
        ];
        let b = Beta::of(&index, &name).unwrap();
        assert!((b.beta - 1.303_130).abs() < 5e-7, "{b:?}");
        assert!((b.alpha - 0.000_227_18).abs() < 5e-9, "{b:?}");
        assert!((b.r_squared - 0.957_408).abs() < 5e-7, "{b:?}");
        assert!((b.error - 0.097_176).abs() < 5e-7, "{b:?}");
        assert!((toward_one(b.beta) - 1.202_087).abs() < 5e-7);
        assert_eq!(
            Beta::of(&[0.01; 10], &name),
            None,
            "an index that stands still"
        );
        assert_eq!(Beta::of(&index[..2], &name[..2]), None);
    }
}
