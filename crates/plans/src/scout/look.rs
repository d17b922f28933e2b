//! The first look at a package, which most get alone: the limits it breaks, the cheap first, and its
//! rank; only what is needed is worked out.

use std::collections::HashMap;
use std::sync::{PoisonError, RwLock};

use quant::Kind;

use super::families::{Pack, in_order};
use super::judge::{Judge, Sides};
use super::law::Upto;
use super::measure::{Bounds, Pieces};
use super::{RANK_MEASURES, Rank, RankMeasure, ScoutLimit};
use desk::AccountRules;
use desk::Money;
use desk::{MarginBasis, levels};

/// What is worked out of a pack only when it is asked for.
struct Figures<'j, 'a> {
    judge: &'j Judge<'a>,
    pack: &'j Pack,
    net: Money,
    cost: f64,
    capital: Option<Money>,
    bounds: Option<Bounds>,
}

impl Figures<'_, '_> {
    fn capital(&mut self) -> Money {
        let (judge, pack, net) = (self.judge, self.pack, self.net);
        *self.capital.get_or_insert_with(|| judge.capital(pack, net))
    }

    fn bounds(&mut self) -> &Bounds {
        let (judge, pack, cost) = (self.judge, self.pack, self.cost);
        self.bounds.get_or_insert_with(|| judge.bounds(pack, cost))
    }

    fn means(&self) -> (f64, f64) {
        self.judge.means(self.pack, self.cost)
    }

    /// A measure; nothing where it does not exist.
    fn measure(&mut self, of: RankMeasure) -> Option<f64> {
        let (market, own) = self.means();
        match of {
            RankMeasure::Expected => Some(own),
            RankMeasure::Chance => Some(self.bounds().own_chance),
            RankMeasure::Excess => Some(own - market),
            RankMeasure::ExpectedPerCapital => {
                let capital = self.capital();
                (capital > Money::ZERO).then(|| own / capital.to_f64())
            }
            RankMeasure::ExpectedPerLoss => {
                let loss = -self.bounds().least?;
                (loss > 0.0).then(|| own / loss)
            }
            RankMeasure::ExpectedPerDay => Some(own / self.judge.m.scouted.days.max(1) as f64),
        }
    }
}

impl Judge<'_> {
    /// The level of approval that it needs: a matter of rights, sides and expirations alone.
    fn level(&self, pack: &Pack, rules: AccountRules) -> u8 {
        let legs = in_order(&self.m, pack);
        let mut shape: Sides = Default::default();
        shape.1 = pack.lots;
        for (to, (i, n)) in shape.0.iter_mut().zip(legs.iter()) {
            let s = &self.m.series[*i];
            *to = (s.contract.kind == Kind::Put, *n, s.ending);
        }
        let known = |of: &RwLock<HashMap<Sides, u8>>| {
            let levels = of.read().unwrap_or_else(PoisonError::into_inner);
            levels.get(&shape).copied()
        };
        if let Some(level) = known(&self.levels) {
            return level;
        }
        let basis = MarginBasis {
            rules,
            ..self.basis.clone()
        };
        let needs = levels(&self.held(pack, &legs), &basis);
        let level = needs.iter().map(|n| n.level).max().unwrap_or(0);
        let mut levels = self.levels.write().unwrap_or_else(PoisonError::into_inner);
        levels.insert(shape, level);
        level
    }

    /// Delta of one package, in units of the underlying.
    fn delta(&self, pack: &Pack) -> f64 {
        let options = pack.legs().iter().map(|(i, n)| {
            self.multiplier as f64 * f64::from(*n) * self.m.series[usize::from(*i)].delta
        });
        options.sum::<f64>() + self.lots(pack)
    }

    /// What the market of its legs is wide, in money.
    fn width(&self, pack: &Pack) -> Money {
        let each = pack.legs().iter().map(|(i, n)| {
            let s = &self.m.series[usize::from(*i)];
            (s.ask - s.bid).times(self.multiplier * i64::from(n.abs()))
        });
        each.sum()
    }

    /// Its ends and chances, for the order: of the grid every eighth price is looked at, and between
    /// those all around where the profit passes zero and where it is least and most.
    fn bounds(&self, pack: &Pack, cost: f64) -> Bounds {
        let laws = self.m.scouted.laws;
        let lasts = |(i, _): &(u16, i8)| !self.m.series[usize::from(*i)].ends_then;
        if !pack.legs().iter().any(lasts) {
            return self.with_pieces(pack, cost, |p| p.bounds(laws, &self.whole));
        }
        let grid = &self.m.grid;
        let money = (self.multiplier as f64, self.lots(pack), cost);
        let at = |place: &usize| self.on_grid(pack, money, *place);
        let coarse: Vec<f64> = grid.coarse.iter().map(at).collect();
        let by = |a: &usize, b: &usize| coarse[*a].total_cmp(&coarse[*b]);
        let (least, most) = (
            (0..coarse.len()).min_by(by).unwrap_or(0),
            (0..coarse.len()).max_by(by).unwrap_or(0),
        );
        let mut places = Vec::with_capacity(2 * coarse.len());
        let mut profits = Vec::with_capacity(2 * coarse.len());
        for (i, (place, profit)) in grid.coarse.iter().zip(&coarse).enumerate() {
            places.push(*place);
            profits.push(*profit);
            let Some(next) = coarse.get(i + 1) else { break };
            let passes = (*profit > 0.0) != (*next > 0.0);
            let ends = [least, most].iter().any(|end| i == *end || i + 1 == *end);
            if passes || ends {
                for between in place + 1..grid.coarse[i + 1] {
                    places.push(between);
                    profits.push(at(&between));
                }
            }
        }
        let prices: Vec<f64> = places.iter().map(|i| grid.prices[*i]).collect();
        let upto: Vec<Upto> = places.iter().map(|i| grid.upto[*i]).collect();
        let (slope, far) = self.tail(pack, money);
        let pieces = Pieces {
            prices: &prices,
            profits: &profits,
            upto: &upto,
            slope,
            far,
        };
        pieces.bounds(laws, &self.whole)
    }

    /// How good a pack is, so much the lowest where its measure does not exist; or the limit that it
    /// breaks. Only what is needed is worked out, the cheap first.
    pub fn look(&self, pack: &Pack) -> Result<f64, ScoutLimit> {
        let (_, net) = self.net(pack);
        let mut figures = Figures {
            judge: self,
            pack,
            net,
            cost: self.cost(pack, net),
            capital: None,
            bounds: None,
        };
        if let Some(broken) = self.broken(&mut figures) {
            return Err(broken);
        }
        let rank = match &self.asked.rank {
            Rank::By(of) => figures.measure(*of),
            Rank::Weighted(weights) => RANK_MEASURES
                .iter()
                .zip(weights)
                .filter(|(_, w)| **w != 0.0)
                .try_fold(0.0, |sum, ((of, _), weight)| {
                    let unit = if of.is_share() { 100.0 } else { 1.0 };
                    Some(sum + weight * unit * figures.measure(*of)?)
                }),
        };
        Ok(rank.filter(|r| !r.is_nan()).unwrap_or(f64::NEG_INFINITY))
    }

    /// The first limit that a pack breaks.
    fn broken(&self, f: &mut Figures<'_, '_>) -> Option<ScoutLimit> {
        let (limits, pack) = (&self.asked.limits, f.pack);
        let series = |i: u16| &self.m.series[usize::from(i)];
        let most_legs = limits.legs.unwrap_or(usize::MAX);
        if pack.legs().len() + usize::from(pack.lots != 0) > most_legs {
            return Some(ScoutLimit::Legs);
        }
        if limits
            .pays
            .is_some_and(|debit| (f.net > Money::ZERO) != debit)
        {
            return Some(ScoutLimit::Pays);
        }
        let open = |(i, _): &(u16, i8)| series(*i).open_interest >= limits.open_interest;
        if !pack.legs().iter().all(open) {
            return Some(ScoutLimit::OpenInterest);
        }
        let endless = self.slope(pack) < 0.0;
        if endless && !limits.unlimited {
            return Some(ScoutLimit::Unlimited);
        }
        if let Some(lean) = &limits.lean {
            let after = lean.now + lean.of_delta * self.delta(pack);
            let outside = |x: f64| (lean.from - x).max(x - lean.to).max(0.0);
            // What leaves the band is left out, and what leads back to it is not.
            if outside(after) > outside(lean.now) + 1e-9 {
                return Some(ScoutLimit::Lean);
            }
        }
        if let Some(rules) = limits.account
            && self.level(pack, rules) > rules.allows()
        {
            return Some(ScoutLimit::Level);
        }
        if limits.capital.is_some_and(|most| f.capital() > most) {
            return Some(ScoutLimit::Capital);
        }
        if let Some(most) = limits.market_width {
            let (wide, capital) = (self.width(pack).to_f64(), f.capital().to_f64());
            if wide > 1e-12 + most * capital.max(0.0) {
                return Some(ScoutLimit::MarketWidth);
            }
        }
        for (most, limit) in [
            (limits.max_loss, ScoutLimit::MaxLoss),
            (limits.rule, ScoutLimit::Rule),
        ] {
            let Some(most) = most else { continue };
            if f.bounds().least.is_none_or(|l| -l > most.to_f64() + 1e-9) {
                return Some(limit);
            }
        }
        let least = limits.chance?;
        (f.bounds().own_chance < least).then_some(ScoutLimit::Chance)
    }
}
