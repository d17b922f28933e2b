//! What one package comes to: its price, what it ties up, its profit over the price.

use std::cmp::Ordering;
use std::collections::HashMap;
use std::sync::RwLock;

use quant::Kind;

use super::families::{Pack, in_order};
use super::field::{Prepared, Scouted};
use super::law::Upto;
use super::measure::{Measured, Pieces};
use super::{JudgedPack, ScoutAsked, ScoutError};
use desk::Instrument;
use desk::{
    FEW, MarginBasis, MarginHolding, MarginLeg, OneContract, requirement, requirement_of_few,
};
use desk::{Money, Price};
use desk::{part_way, part_way_step};

/// Everything that the figures of a pack come from, prepared once.
pub(super) struct Judge<'a> {
    pub m: Prepared<'a>,
    pub asked: &'a ScoutAsked,
    pub basis: MarginBasis,
    pub multiplier: i64,
    lot: i64,
    pub whole: Upto,
    zero: Upto,
    /// Where each option stands among all as they are written.
    order: Vec<u32>,
    /// Levels that packs need, by their shape.
    pub levels: RwLock<HashMap<Sides, u8>>,
}

/// Of each leg a put, its quantity, its expiration; and the lots beside them.
pub(super) type Sides = ([(bool, i8, usize); 4], i8);

impl<'a> Judge<'a> {
    pub fn new(scouted: &'a Scouted<'a>, asked: &'a ScoutAsked) -> Result<Judge<'a>, ScoutError> {
        let m = Prepared::new(scouted, asked.reach)?;
        if m.series.len() > usize::from(u16::MAX) {
            return Err(ScoutError::TooWide(m.series.len(), usize::from(u16::MAX)));
        }
        let u = scouted.underlying;
        let mut written: Vec<(String, usize)> = (0..m.series.len())
            .map(|i| (m.series[i].contract.to_string(), i))
            .collect();
        written.sort();
        let mut order = vec![0; written.len()];
        for (place, (_, i)) in written.iter().enumerate() {
            order[*i] = place as u32 + 1;
        }
        let first = scouted.endings.first();
        Ok(Judge {
            basis: MarginBasis::by_strategy(
                u,
                scouted.spot,
                scouted.at,
                first.map_or((0.0, 0.0), |e| (e.rate, e.paid)),
            ),
            multiplier: u.multiplier,
            lot: u.lot(),
            whole: scouted.laws.upto(f64::INFINITY),
            zero: scouted.laws.upto(0.0),
            order,
            levels: RwLock::default(),
            asked,
            m,
        })
    }

    /// Price of one package: the middle, and a part of the way to the far side of every leg, rounded
    /// up to the step of its market: against who buys it.
    fn price(&self, pack: &Pack) -> Price {
        let (mut doubled, mut far) = (0_i128, 0_i128);
        for (i, n) in pack.legs() {
            let s = &self.m.series[usize::from(*i)];
            let n = i128::from(*n);
            doubled += n * i128::from(s.bid.raw() + s.ask.raw());
            let side = if n > 0 { s.ask } else { s.bid };
            far += n * i128::from(side.raw());
        }
        // A lot of shares counts once, since a price is one of a unit of an option.
        let spot = i128::from(self.m.scouted.spot.raw()) * i128::from(pack.lots);
        doubled += 2 * spot;
        far += spot;
        let step = part_way_step(self.m.scouted.underlying);
        part_way((doubled, far), 1, self.asked.price, step)
    }

    /// Fees of its entry.
    fn fees(&self, pack: &Pack) -> Money {
        let fees = self.m.scouted.fees;
        let contracts: i64 = pack.legs().iter().map(|(_, n)| i64::from(n.abs())).sum();
        let futures = if self.m.scouted.underlying.settles_daily() {
            i64::from(pack.lots.abs())
        } else {
            0
        };
        let of = |fee: Money, n: i64| Money::from_raw(fee.raw() * n);
        of(fees.option, contracts) + of(fees.future, futures)
    }

    /// What it ties up after its entry.
    pub fn capital(&self, pack: &Pack, net: Money) -> Money {
        let legs = in_order(&self.m, pack);
        if pack.lots != 0 {
            return requirement(&self.held(pack, &legs), &self.basis).takes() + net;
        }
        let each = legs.iter().flat_map(|(i, n)| {
            let s = &self.m.series[*i];
            let one = OneContract {
                kind: s.contract.kind,
                strike: s.contract.strike,
                mark: Price::from_raw((s.bid.raw() + s.ask.raw()) / 2),
                ends: self.m.scouted.endings[s.ending].ends,
                sold: *n < 0,
            };
            std::iter::repeat_n(one, usize::from(n.unsigned_abs()))
        });
        // No family has more than four contracts.
        let mut few = [None; FEW];
        let mut count = 0;
        for (to, one) in few.iter_mut().zip(each) {
            *to = Some(one);
            count += 1;
        }
        requirement_of_few(&few[..count], &self.basis).times(self.multiplier) + net
    }

    pub fn held(&self, pack: &Pack, legs: &[(usize, i8)]) -> MarginHolding {
        let options = legs.iter().map(|(i, n)| {
            let s = &self.m.series[*i];
            MarginLeg {
                contract: s.contract.clone(),
                ends: self.m.scouted.endings[s.ending].ends,
                quantity: i64::from(*n),
                mark: Price::from_raw((s.bid.raw() + s.ask.raw()) / 2),
            }
        });
        MarginHolding {
            options: options.collect(),
            underlying: i64::from(pack.lots) * self.lot,
        }
    }

    /// What is taken off its worth at the date to make it a profit: what was paid, and fees where they
    /// count. Shares bring their dividends, and of a future the gain alone counts.
    pub fn cost(&self, pack: &Pack, net: Money) -> f64 {
        let fees = if self.asked.fees {
            self.fees(pack)
        } else {
            Money::ZERO
        };
        let lots = self.lots(pack);
        let beside = if self.m.scouted.underlying.settles_daily() {
            lots * self.m.scouted.spot.to_f64()
        } else {
            -lots * self.m.scouted.dividends
        };
        net.to_f64() + fees.to_f64() + beside
    }

    /// Money of the underlying in it for 1.00 of its price.
    pub fn lots(&self, pack: &Pack) -> f64 {
        f64::from(pack.lots) * self.lot as f64 * self.own_units()
    }

    /// Mean profit by the market and by one's own law: the sum of what its legs come to.
    pub fn means(&self, pack: &Pack, cost: f64) -> (f64, f64) {
        let (units, lots) = (self.multiplier as f64, self.lots(pack));
        let mut sum = (
            lots * self.whole.market_mean - cost,
            lots * self.whole.own_mean - cost,
        );
        for (i, q) in pack.legs() {
            let (market, own) = self.m.series[usize::from(*i)].means;
            sum.0 += f64::from(*q) * units * market;
            sum.1 += f64::from(*q) * units * own;
        }
        sum
    }

    /// Its figures in money.
    fn measured(&self, pack: &Pack, net: Money) -> Measured {
        let cost = self.cost(pack, net);
        let means = self.means(pack, cost);
        let laws = self.m.scouted.laws;
        self.with_pieces(pack, cost, |p| p.measured(laws, &self.whole, means))
    }

    /// Its profit over the price: exactly where everything ends at the date, otherwise on the grid.
    pub fn with_pieces<T>(&self, pack: &Pack, cost: f64, of: impl FnOnce(&Pieces<'_>) -> T) -> T {
        let (units, lots) = (self.multiplier as f64, self.lots(pack));
        let series = |i: u16| &self.m.series[usize::from(i)];
        let lasts = pack.legs().iter().any(|(i, _)| !series(*i).ends_then);
        if lasts {
            return self.with_grid(pack, (units, lots, cost), of);
        }
        let legs = in_order(&self.m, pack);
        let mut prices = [0.0; 5];
        let mut upto = [self.zero; 5];
        let mut n = 1;
        for (i, _) in legs.iter() {
            let s = &self.m.series[*i];
            if prices[n - 1] != s.strike {
                prices[n] = s.strike;
                upto[n] = s.upto;
                n += 1;
            }
        }
        let mut profits = [0.0; 5];
        let mut slope = lots;
        for (i, q) in legs.iter() {
            let s = &self.m.series[*i];
            let q = f64::from(*q) * units;
            for (profit, price) in profits.iter_mut().zip(&prices[..n]) {
                *profit += q * s.contract.kind.intrinsic(*price, s.strike);
            }
            if s.contract.kind == Kind::Call {
                slope += q;
            }
        }
        for (profit, price) in profits.iter_mut().zip(&prices) {
            *profit += lots * price - cost;
        }
        let pieces = Pieces {
            prices: &prices[..n],
            profits: &profits[..n],
            upto: &upto[..n],
            slope,
            far: None,
        };
        of(&pieces)
    }

    /// Money of one of the underlying for 1.00 of its price.
    fn own_units(&self) -> f64 {
        if self.m.scouted.underlying.settles_daily() {
            self.multiplier as f64
        } else {
            1.0
        }
    }

    /// Its profit at a place of the grid.
    pub fn on_grid(&self, pack: &Pack, (units, lots, cost): (f64, f64, f64), place: usize) -> f64 {
        let price = self.m.grid.prices[place];
        let legs = pack.legs().iter();
        legs.fold(lots * price - cost, |profit, (i, q)| {
            let s = &self.m.series[usize::from(*i)];
            let value = match &s.lasting {
                Some(l) => l.values[place],
                None => s.contract.kind.intrinsic(price, s.strike),
            };
            profit + f64::from(*q) * units * value
        })
    }

    /// Far above: its slope, and what it goes to where it has none.
    pub fn tail(&self, pack: &Pack, (units, _, cost): (f64, f64, f64)) -> (f64, Option<f64>) {
        let slope = self.slope(pack);
        let level = pack.legs().iter().fold(-cost, |level, (i, q)| {
            let s = &self.m.series[usize::from(*i)];
            let each = match &s.lasting {
                Some(l) => l.tail.level,
                None if s.contract.kind == Kind::Call => -s.strike,
                None => 0.0,
            };
            level + f64::from(*q) * units * each
        });
        (slope, (slope == 0.0).then_some(level))
    }

    fn with_grid<T>(
        &self,
        pack: &Pack,
        money: (f64, f64, f64),
        of: impl FnOnce(&Pieces<'_>) -> T,
    ) -> T {
        let grid = &self.m.grid;
        let places = 0..grid.prices.len();
        let profits: Vec<f64> = places.map(|i| self.on_grid(pack, money, i)).collect();
        let (slope, far) = self.tail(pack, money);
        of(&Pieces {
            prices: &grid.prices,
            profits: &profits,
            upto: &grid.upto,
            slope,
            far,
        })
    }

    /// Its profit at prices that spread evenly in the logarithm over some deviations, and at its own
    /// strikes between: enough to draw it.
    pub fn curve(&self, pack: &Pack) -> Vec<(f64, f64)> {
        const POINTS: usize = 40;
        const REACH: f64 = 2.5;
        let s = self.m.scouted;
        let (_, net) = self.net(pack);
        self.with_pieces(pack, self.cost(pack, net), |p| {
            let place = |i: usize| {
                let part = 2.0 * i as f64 / POINTS as f64 - 1.0;
                s.forward * (part * REACH * s.deviation).exp()
            };
            let (low, high) = (place(0), place(POINTS));
            let mut prices: Vec<f64> = (0..=POINTS).map(place).collect();
            let strikes = pack
                .legs()
                .iter()
                .map(|(i, _)| self.m.series[usize::from(*i)].strike);
            prices.extend(strikes.filter(|k| *k > low && *k < high));
            prices.sort_by(f64::total_cmp);
            prices.dedup();
            prices
                .into_iter()
                .map(|price| (price, p.at(price)))
                .collect()
        })
    }

    /// Slopes that are rounding's alone are none.
    fn sloped(&self, slope: f64) -> f64 {
        if slope.abs() < 1e-9 * self.multiplier as f64 {
            0.0
        } else {
            slope
        }
    }

    /// Change of its worth for 1.00 far above.
    pub fn slope(&self, pack: &Pack) -> f64 {
        let each = pack.legs().iter().map(|(i, n)| {
            let s = &self.m.series[usize::from(*i)];
            let slope = match &s.lasting {
                Some(l) => l.tail.slope,
                None => f64::from(u8::from(s.contract.kind == Kind::Call)),
            };
            self.multiplier as f64 * f64::from(*n) * slope
        });
        self.sloped(each.sum::<f64>() + self.lots(pack))
    }

    pub fn net(&self, pack: &Pack) -> (Price, Money) {
        let price = self.price(pack);
        let future = self.m.scouted.underlying.settles_daily();
        let mut net = price.times(self.multiplier);
        if future && pack.lots != 0 {
            net -= self
                .m
                .scouted
                .spot
                .times(self.multiplier * i64::from(pack.lots));
        }
        (price, net)
    }

    pub fn judged(&self, pack: &Pack) -> JudgedPack {
        let (price, net) = self.net(pack);
        JudgedPack {
            family: pack.family,
            legs: self.legs(pack),
            price,
            net,
            capital: self.capital(pack, net),
            measured: self.measured(pack, net),
        }
    }

    /// By their legs as they are written: "+1 …; -1 …".
    pub fn by_legs(&self, a: &Pack, b: &Pack) -> Ordering {
        let marks = |p: &Pack| {
            let itself = (p.lots != 0).then(|| (i64::from(p.lots) * self.lot, 0));
            let legs = in_order(&self.m, p);
            let options = legs.iter().map(|(i, n)| (i64::from(*n), self.order[*i]));
            itself
                .into_iter()
                .chain(options)
                .collect::<Vec<(i64, u32)>>()
        };
        let (a, b) = (marks(a), marks(b));
        for ((n, x), (m, y)) in a.iter().zip(&b) {
            // "+" stands before "-", and numbers compare as text.
            let sign = (*n < 0).cmp(&(*m < 0));
            let text = || n.abs().to_string().cmp(&m.abs().to_string());
            let found = sign.then_with(text).then_with(|| x.cmp(y));
            if found != Ordering::Equal {
                return found;
            }
        }
        a.len().cmp(&b.len())
    }

    fn legs(&self, pack: &Pack) -> Vec<(Instrument, i64)> {
        let symbol = self.m.scouted.underlying.symbol.clone();
        let itself = (pack.lots != 0).then(|| {
            (
                Instrument::Underlying(symbol),
                i64::from(pack.lots) * self.lot,
            )
        });
        let options = in_order(&self.m, pack);
        let options = options.iter().map(|(i, n)| {
            let contract = self.m.series[*i].contract.clone();
            (Instrument::Option(contract), i64::from(*n))
        });
        itself.into_iter().chain(options).collect()
    }
}
