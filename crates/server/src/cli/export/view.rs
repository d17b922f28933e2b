//! What an export reads of the market: the expirations that were asked for, how the price is carried
//! to them, the volatility of each strike, of the simulated market and of one from files.

use desk::{Contract, Expiration, Kind, Moment, Price, Underlying};
use jiff::civil::Date;
use market::{Quoter, World, strikes};

use super::{Listed, date};

/// One underlying at a moment.
pub(in crate::cli) struct View<'a> {
    pub world: &'a World,
    pub underlying: &'a Underlying,
    pub at: Moment,
}

impl View<'_> {
    pub fn symbol(&self) -> &str {
        &self.underlying.symbol
    }

    pub fn expirations(&self) -> Vec<Expiration> {
        let all = self.world.expirations(self.symbol(), self.at);
        all.unwrap_or_default()
    }

    /// The expirations that were asked for; each date and the root must be listed.
    pub fn chosen(&self, listed: &Listed) -> Result<Vec<Expiration>, String> {
        let root = |e: &Expiration| self.underlying.root_for(e).to_owned();
        let mut all = self.expirations();
        let told = |all: &[Expiration], of: &dyn Fn(&Expiration) -> String| {
            let mut words: Vec<String> = all.iter().map(of).collect();
            words.dedup();
            words.join(", ")
        };
        if let Some(wanted) = &listed.root {
            if !all.iter().any(|e| root(e) == *wanted) {
                return Err(format!(
                    "--root {wanted:?} lists nothing of {} at {}; listed: {}",
                    self.symbol(),
                    self.at,
                    told(&all, &root)
                ));
            }
            all.retain(|e| root(e) == *wanted);
        }
        let dates = listed.expiry.iter().map(|text| date("expiry", text));
        let dates = dates.collect::<Result<Vec<Date>, String>>()?;
        if let Some(missing) = dates.iter().find(|d| !all.iter().any(|e| e.date == **d)) {
            return Err(format!(
                "--expiry {missing} is not listed of {} at {}; listed: {}",
                self.symbol(),
                self.at,
                told(&all, &|e| e.date.to_string())
            ));
        }
        all.retain(|e| dates.is_empty() || dates.contains(&e.date));
        Ok(all)
    }

    /// Price of the underlying, and how it is carried to the end of an expiration.
    pub fn carried(&self, e: &Expiration) -> Option<Carried> {
        let spot = self.world.spot(self.symbol(), self.at)?.to_f64();
        let years = self.at.years_until(e.moment()).max(1.0 / 525_600.0);
        let rate = self.world.rate(years);
        let carry = self.world.carry(self.symbol())?;
        let paid = carry.yield_until(self.at, e.moment(), rate, spot);
        Some(Carried {
            years,
            rate,
            paid,
            forward: spot * ((rate - paid) * years).exp(),
        })
    }

    /// Volatility of each strike: of the surface, or of a market from files that of the option out
    /// of the money, where it has one. Strikes ascending.
    pub fn smile(&self, e: &Expiration, forward: f64) -> Vec<(Price, f64)> {
        if let Some(slice) = self.world.surface(self.symbol(), self.at, e.moment()) {
            let all = strikes(self.world, self.symbol(), e, self.at);
            return all
                .into_iter()
                .map(|k| (k, slice.vol(k.to_f64())))
                .collect();
        }
        let chain = Quoter::new().chain(self.world, self.underlying, e, self.at);
        let outside = |c: &Contract| (c.kind == Kind::Call) == (c.strike.to_f64() >= forward);
        chain
            .iter()
            .filter(|(c, _)| outside(c))
            .filter_map(|(c, l)| Some((c.strike, l.implied?)))
            .collect()
    }

    /// The volatility at the forward.
    pub fn at_the_money(&self, e: &Expiration, carried: &Carried) -> Option<f64> {
        if let Some(slice) = self.world.surface(self.symbol(), self.at, e.moment()) {
            return Some(slice.vol(slice.forward));
        }
        let listed = strikes(self.world, self.symbol(), e, self.at);
        let known = self.smile(e, carried.forward);
        let variance = |k: &Price| {
            let (_, vol) = known.iter().find(|(strike, _)| strike == k)?;
            Some((
                (k.to_f64() / carried.forward).ln(),
                vol * vol * carried.years,
            ))
        };
        let below = listed.iter().rfind(|k| k.to_f64() <= carried.forward)?;
        let above = listed.iter().find(|k| k.to_f64() >= carried.forward)?;
        let ((a, low), (b, high)) = (variance(below)?, variance(above)?);
        let at = if below == above {
            low
        } else {
            low + (high - low) * (0.0 - a) / (b - a)
        };
        Some((at / carried.years).sqrt())
    }
}

/// How a price is carried to a moment.
pub(in crate::cli) struct Carried {
    /// Years of 365 days until then.
    pub years: f64,
    /// Interest, continuously compounded.
    pub rate: f64,
    /// What the underlying pays, continuously compounded.
    pub paid: f64,
    /// The price carried there.
    pub forward: f64,
}
