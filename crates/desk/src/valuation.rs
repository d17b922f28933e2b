//! What a structure is worth before expiration: legs × prices × dates, in the model world.
//!
//! Each leg keeps its own implied volatility as the price moves (sticky strike). Position Greeks
//! are in money: a leg's Greek × contracts × multiplier.

use quant::{Accuracy, Kind, Model, PricedOn, Style, Tail, Terms, Valuation, Vanilla, price_all};

use crate::carry::Carry;
use crate::contract::Contract;
use crate::holding::Holding;
use crate::number::Price;
use crate::package_quote::Quote;
use crate::time::Moment;
use crate::underlying::{Underlying, UnderlyingKind};

/// The market in one leg, as far as valuation needs it.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct LegMarket {
    /// Bid, ask and sizes.
    pub quote: Quote,
    /// Volatility implied by the mark (or of the surface, where the mark implies none).
    pub vol: f64,
    /// Theoretical value per unit, by the surface.
    pub theoretical: f64,
    /// Interest to its expiry, continuously compounded.
    pub rate: f64,
}

impl LegMarket {
    /// The market in the underlying itself, which has no volatility of its own; `rate` is the
    /// interest over the time that is looked ahead.
    pub fn of_underlying(quote: Quote, price: Price, rate: f64) -> LegMarket {
        LegMarket {
            quote,
            vol: 0.0,
            theoretical: price.to_f64(),
            rate,
        }
    }
}

/// Greeks of a position in money.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub struct PositionGreeks {
    /// Per 1.00 of the underlying.
    pub delta: f64,
    /// Change of delta per 1.00 of the underlying.
    pub gamma: f64,
    /// Per calendar day.
    pub theta: f64,
    /// Per volatility point.
    pub vega: f64,
    /// Per percentage point of the rate.
    pub rho: f64,
    /// Something in it ends within a day: of that, theta is the change over what is left.
    pub theta_to_the_end: bool,
}

impl PositionGreeks {
    /// Adds another position's.
    pub fn plus(self, o: PositionGreeks) -> PositionGreeks {
        PositionGreeks {
            delta: self.delta + o.delta,
            gamma: self.gamma + o.gamma,
            theta: self.theta + o.theta,
            vega: self.vega + o.vega,
            rho: self.rho + o.rho,
            theta_to_the_end: self.theta_to_the_end || o.theta_to_the_end,
        }
    }

    /// Of so many as these are of one.
    pub fn times(self, n: i64) -> PositionGreeks {
        let n = n as f64;
        PositionGreeks {
            delta: self.delta * n,
            gamma: self.gamma * n,
            theta: self.theta * n,
            vega: self.vega * n,
            rho: self.rho * n,
            theta_to_the_end: self.theta_to_the_end,
        }
    }

    fn of(v: &Valuation, units: f64, theta_to_the_end: bool) -> PositionGreeks {
        PositionGreeks {
            delta: v.delta * units,
            gamma: v.gamma * units,
            theta: v.theta_day * units,
            vega: v.vega_point * units,
            rho: v.rho_point * units,
            theta_to_the_end,
        }
    }
}

/// The terms of a contract at a moment.
pub fn terms_of(
    contract: &Contract,
    underlying: &Underlying,
    at: Moment,
    (rate, carry_yield): (f64, f64),
    vol: f64,
) -> Terms {
    Terms {
        kind: contract.kind,
        style: underlying.style,
        strike: contract.strike.to_f64(),
        time: at.years_until(underlying.expiry_moment(contract)).max(0.0),
        rate,
        carry_yield,
        vol,
    }
}

/// The terms of an option before whose end no cash is paid: they alone say what it is worth.
/// Nothing where a dividend is still to come.
pub fn plain_terms(
    contract: &Contract,
    underlying: &Underlying,
    at: Moment,
    market: &PricedIn<'_>,
) -> Option<Terms> {
    let (expiry, rate, carry) = (
        underlying.expiry_moment(contract),
        market.rate,
        market.carry,
    );
    if carry.dividends(at, expiry).next().is_some() {
        return None;
    }
    let carry_yield = carry.yield_until(at, expiry, rate, market.spot);
    let terms = terms_of(contract, underlying, at, (rate, carry_yield), market.vol);
    let is_share_call = underlying.kind == UnderlyingKind::Shares && terms.kind == Kind::Call;
    // Without dividends an American call on shares is not exercised early.
    let held = is_share_call && rate >= 0.0 && matches!(carry, Carry::Dividends(_));
    let style = if held { Style::European } else { terms.style };
    Some(Terms { style, ..terms })
}

/// A European option on shares that pay cash on known dates: worth what it would be on the shares
/// less the present value of what they pay before its end (escrowed dividends, F. Black 1975; the
/// forward is that of the schedule). Price and time move the shares and not the dividends, so a
/// call less a put of one strike has a delta of exactly 1, and theta is that of the dividends' own
/// dates: ∂V/∂t = Θ(S − D) − r·D·Δ(S − D) with D the present value, which grows by r·D a year.
///
/// Check value (S = K = 100, 38 days, 1.00 paid in ten days, 4 %, 25 %): a call's theta is −0.0469
/// a day; a yield with the same forward says −0.0341.
struct Escrowed {
    model: Model,
    paid: f64,
}

impl Escrowed {
    fn new(terms: &Terms, paid: f64) -> Result<Escrowed, quant::Error> {
        let terms = Terms {
            carry_yield: 0.0,
            ..european(*terms)
        };
        Ok(Escrowed {
            model: Model::new(&terms, Accuracy::Interactive)?,
            paid,
        })
    }

    fn prices(&self, spots: &[f64], out: &mut [f64]) {
        if self.paid == 0.0 {
            return self.model.prices(spots, out);
        }
        let left: Vec<f64> = spots.iter().map(|s| (s - self.paid).max(0.0)).collect();
        self.model.prices(&left, out);
    }

    fn price(&self, spot: f64) -> f64 {
        self.model.price((spot - self.paid).max(0.0))
    }

    fn value(&self, spot: f64) -> Result<Valuation, quant::Error> {
        // Shares worth less than what they are about to pay are valued as if they were worth a
        // ten-thousandth of the strike: the option is as good as ended there.
        let least = 1e-4 * self.model.terms().strike;
        let v = self.model.value((spot - self.paid).max(least))?;
        let growth = self.model.terms().rate * self.paid * v.delta / 365.0;
        Ok(Valuation {
            theta_day: v.theta_day - growth,
            ..v
        })
    }

    fn tail(&self) -> Tail {
        let tail = self.model.tail();
        Tail {
            level: tail.level - tail.slope * self.paid,
            ..tail
        }
    }
}

/// What values one option, at any price of the underlying.
///
/// - With a yield, or on a future: its model.
/// - An American call on shares that pay cash: the best of holding it to its end and of exercising
///   it just before one of the ex-dates, each a European (F. Black, *Financial Analysts Journal* 31
///   (1975); a lower bound that misses the right to wait and see, some cents at most).
/// - An American put on such shares: the European one of the schedule, and beside it what early
///   exercise adds under the yield with the same forward at `spot`; never below exercise.
///
/// ```
/// use desk::{Carry, Contract, Moment, Price, Priced, PricedIn};
/// # fn f(contract: &Contract, underlying: &desk::Underlying, at: Moment) -> Result<(),
/// quant::Error> { let carry = Carry::Dividends(vec![(at.plus_millis(864_000_000),
/// Price::cents(100))]); let market = PricedIn { rate: 0.04, carry: &carry, spot: 100.0, vol: 0.25
/// }; let priced = Priced::new(contract, underlying, at, &market)?; assert!(priced.price(101.0) >
/// priced.price(100.0));
/// # Ok(()) }
/// ```
pub struct Priced {
    way: Way,
    on: PricedOn,
    /// What is left of its life, in years.
    left: f64,
    kind: Kind,
    strike: f64,
}

enum Way {
    Plain(Box<Model>),
    Schedule {
        held: Box<Escrowed>,
        /// Of a call: exercised just before each ex-date.
        exercised: Vec<Escrowed>,
        /// Of a put: American and European under the yield.
        early: Option<Box<(Model, Model)>>,
    },
}

/// A life shorter than this has no theta of a whole day.
const DAY: f64 = 1.0 / 365.0;

impl Priced {
    /// Prepares an option as of `at`; past its expiry it is worth its intrinsic value.
    ///
    /// # Errors
    /// Terms that the models refuse.
    pub fn new(
        contract: &Contract,
        underlying: &Underlying,
        at: Moment,
        market: &PricedIn<'_>,
    ) -> Result<Priced, quant::Error> {
        let expiry = underlying.expiry_moment(contract);
        let rate = market.rate;
        let carry_yield = market.carry.yield_until(at, expiry, rate, market.spot);
        let terms = terms_of(contract, underlying, at, (rate, carry_yield), market.vol);
        let ready = |way| Priced {
            way,
            on: underlying.priced_on(),
            left: terms.time,
            kind: terms.kind,
            strike: terms.strike,
        };
        if let Some(plain) = plain_terms(contract, underlying, at, market) {
            let model = Model::new(&plain, Accuracy::Interactive)?;
            return Ok(ready(Way::Plain(Box::new(model))));
        }
        let paid = market.carry.present_value(at, expiry, rate);
        let american = terms.style == Style::American;
        let early = american && terms.kind == Kind::Put;
        let models = || {
            Ok::<_, quant::Error>(Box::new((
                Model::new(&terms, Accuracy::Interactive)?,
                Model::new(&european(terms), Accuracy::Interactive)?,
            )))
        };
        Ok(ready(Way::Schedule {
            held: Box::new(Escrowed::new(&terms, paid)?),
            exercised: eves(&terms, at, expiry, market)?,
            early: early.then(models).transpose()?,
        }))
    }

    /// Price per unit.
    pub fn price(&self, spot: f64) -> f64 {
        let mut out = [0.0];
        self.prices(&[spot], &mut out);
        out[0]
    }

    /// Prices per unit at many prices of the underlying; `out` is as long as `spots`.
    pub fn prices(&self, spots: &[f64], out: &mut [f64]) {
        let (held, exercised, early) = match &self.way {
            Way::Plain(model) => return model.prices(spots, out),
            Way::Schedule {
                held,
                exercised,
                early,
            } => (held, exercised, early),
        };
        held.prices(spots, out);
        let mut other = vec![0.0; spots.len()];
        for way in exercised {
            way.prices(spots, &mut other);
            for (best, price) in out.iter_mut().zip(&other) {
                *best = best.max(*price);
            }
        }
        if let Some(models) = early {
            let (american, european) = models.as_ref();
            let mut plain = vec![0.0; spots.len()];
            american.prices(spots, &mut other);
            european.prices(spots, &mut plain);
            for (i, price) in out.iter_mut().enumerate() {
                let exercise = self.kind.intrinsic(spots[i], self.strike);
                *price = with_early(*price, other[i] - plain[i], exercise);
            }
        }
    }

    /// Price and Greeks per unit. With less than a day to live theta is the change over what is
    /// left: exercise value less price.
    ///
    /// # Errors
    /// A price of the underlying that is not above zero.
    pub fn value(&self, spot: f64) -> Result<Valuation, quant::Error> {
        let v = match &self.way {
            Way::Plain(model) => model.value_on(spot, self.on)?,
            Way::Schedule {
                held,
                exercised,
                early,
            } => {
                let best = exercised
                    .iter()
                    .max_by(|a, b| a.price(spot).total_cmp(&b.price(spot)));
                let v = best
                    .filter(|m| m.price(spot) > held.price(spot))
                    .unwrap_or(held)
                    .value(spot)?;
                match early {
                    Some(models) => self.with_exercise(v, models, spot)?,
                    None => v,
                }
            }
        };
        Ok(if self.theta_is_to_the_end() {
            Valuation {
                theta_day: self.kind.intrinsic(spot, self.strike) - v.price,
                ..v
            }
        } else {
            v
        })
    }

    /// What early exercise adds to the European put of the schedule.
    fn with_exercise(
        &self,
        held: Valuation,
        (american, european): &(Model, Model),
        spot: f64,
    ) -> Result<Valuation, quant::Error> {
        let (a, e) = (american.value(spot)?, european.value(spot)?);
        let exercise = self.kind.intrinsic(spot, self.strike);
        let price = held.price + (a.price - e.price).max(0.0);
        if exercise > 0.0 && price <= exercise {
            return Ok(Valuation {
                price: exercise,
                delta: self.kind.sign(),
                ..Valuation::default()
            });
        }
        Ok(Valuation {
            price,
            delta: held.delta + a.delta - e.delta,
            gamma: held.gamma + a.gamma - e.gamma,
            theta_day: held.theta_day + a.theta_day - e.theta_day,
            vega_point: held.vega_point + a.vega_point - e.vega_point,
            rho_point: held.rho_point + a.rho_point - e.rho_point,
        })
    }

    /// Whether theta is not that of a day: less than one is left.
    pub fn theta_is_to_the_end(&self) -> bool {
        self.left > 0.0 && self.left < DAY
    }

    /// Worth per unit far above everything.
    pub fn tail(&self) -> Tail {
        match &self.way {
            Way::Plain(model) => model.tail(),
            Way::Schedule {
                held, exercised, ..
            } => exercised
                .iter()
                .map(Escrowed::tail)
                .fold(held.tail(), |best, t| {
                    if (t.slope, t.level) > (best.slope, best.level) {
                        t
                    } else {
                        best
                    }
                }),
        }
    }
}

/// A put of the schedule with what early exercise adds to it under the yield; never below exercise.
fn with_early(held: f64, adds: f64, exercise: f64) -> f64 {
    (held + adds.max(0.0)).max(exercise)
}

fn european(terms: Terms) -> Terms {
    Terms {
        style: Style::European,
        ..terms
    }
}

/// An American call exercised just before each ex-date; nothing of any other option.
fn eves(
    terms: &Terms,
    at: Moment,
    expiry: Moment,
    market: &PricedIn<'_>,
) -> Result<Vec<Escrowed>, quant::Error> {
    let carry = market.carry;
    let call = terms.style == Style::American && terms.kind == Kind::Call;
    let dates = carry.dividends(at, expiry).filter(|_| call);
    dates
        .map(|(ex, _)| {
            let eve = ex.plus_millis(-1);
            let time = at.years_until(eve).max(0.0);
            Escrowed::new(
                &Terms { time, ..*terms },
                carry.present_value(at, eve, market.rate),
            )
        })
        .collect()
}

/// Prices of an option before whose end cash is paid, each at a price of the underlying and a
/// volatility of its own: those of [`Priced`], early exercise of all worked out side by side.
///
/// # Errors
/// Terms that the models refuse.
pub(crate) fn paying_prices(
    contract: &Contract,
    underlying: &Underlying,
    at: Moment,
    market: &PricedIn<'_>,
    states: &[(f64, f64)],
) -> Result<Vec<f64>, quant::Error> {
    let (expiry, rate) = (underlying.expiry_moment(contract), market.rate);
    let carry_yield = market.carry.yield_until(at, expiry, rate, market.spot);
    let paid = market.carry.present_value(at, expiry, rate);
    let mut out = Vec::with_capacity(states.len());
    let (mut rows, mut places) = (Vec::new(), Vec::new());
    for (i, (spot, vol)) in states.iter().enumerate() {
        let terms = terms_of(contract, underlying, at, (rate, carry_yield), *vol);
        let mut price = Escrowed::new(&terms, paid)?.price(*spot);
        for eve in eves(&terms, at, expiry, market)? {
            price = price.max(eve.price(*spot));
        }
        out.push(price);
        if terms.style == Style::American && terms.kind == Kind::Put {
            if *spot <= 0.0 {
                out[i] = price.max(terms.strike);
                continue;
            }
            places.push(i);
            let row = |terms| Vanilla {
                terms,
                spot: *spot,
                on: PricedOn::Spot,
            };
            rows.extend([row(terms), row(european(terms))]);
        }
    }
    let prices = price_all(&rows, Accuracy::Interactive);
    let (pairs, _) = prices.as_chunks::<2>();
    for (i, [american, plain]) in places.into_iter().zip(pairs) {
        let adds = (*american)? - (*plain)?;
        let exercise = contract
            .kind
            .intrinsic(states[i].0, contract.strike.to_f64());
        out[i] = with_early(out[i], adds, exercise);
    }
    Ok(out)
}

/// What an option is priced in.
#[derive(Debug, Clone, Copy)]
pub struct PricedIn<'a> {
    /// Interest to its expiry.
    pub rate: f64,
    /// What the underlying pays.
    pub carry: &'a Carry,
    /// Price of the underlying that dividends are compared with.
    pub spot: f64,
    /// Volatility a year, as a fraction: 0.25 is 25 %.
    pub vol: f64,
}

/// What values a leg.
enum Valued {
    Option(Box<Priced>),
    Underlying,
}

/// A structure's legs made ready to be priced at many spots, at one moment.
pub struct Legs {
    legs: Vec<(Valued, f64)>,
}

impl Legs {
    /// Prepares every leg as of `at`; a leg past its expiry is worth its intrinsic value.
    ///
    /// # Errors
    /// Terms that the models refuse.
    pub fn at(
        structure: &Holding,
        underlying: &Underlying,
        markets: &[LegMarket],
        (carry, spot): (&Carry, Price),
        at: Moment,
    ) -> Result<Legs, quant::Error> {
        let spot = spot.to_f64();
        let legs = structure.legs().iter().zip(markets).map(|(leg, m)| {
            let priced = match leg.instrument.option() {
                Some(contract) => Valued::Option(Box::new(Priced::new(
                    contract,
                    underlying,
                    at,
                    &PricedIn {
                        rate: m.rate,
                        carry,
                        spot,
                        vol: m.vol,
                    },
                )?)),
                None => Valued::Underlying,
            };
            Ok((
                priced,
                (leg.quantity * underlying.units(&leg.instrument)) as f64,
            ))
        });
        Ok(Legs {
            legs: legs.collect::<Result<_, quant::Error>>()?,
        })
    }

    /// Value in money at each of many prices.
    pub fn values(&self, spots: &[f64]) -> Vec<f64> {
        let (mut sum, mut leg) = (vec![0.0; spots.len()], vec![0.0; spots.len()]);
        for (valued, units) in &self.legs {
            match valued {
                Valued::Option(model) => model.prices(spots, &mut leg),
                Valued::Underlying => leg.copy_from_slice(spots),
            }
            for (sum, price) in sum.iter_mut().zip(&leg) {
                *sum += price * units;
            }
        }
        sum
    }

    /// Greeks of each leg, in money.
    ///
    /// # Errors
    /// A price of the underlying that is not above zero.
    pub fn greeks(&self, spot: f64) -> Result<Vec<PositionGreeks>, quant::Error> {
        let of = |(valued, units): &(Valued, f64)| {
            Ok(match valued {
                Valued::Option(model) => {
                    PositionGreeks::of(&model.value(spot)?, *units, model.theta_is_to_the_end())
                }
                Valued::Underlying => PositionGreeks {
                    delta: *units,
                    ..PositionGreeks::default()
                },
            })
        };
        self.legs.iter().map(of).collect()
    }

    /// Worth in money far above everything.
    pub fn tail(&self) -> Tail {
        let each = self.legs.iter().map(|(valued, units)| {
            let tail = match valued {
                Valued::Option(model) => model.tail(),
                Valued::Underlying => Tail {
                    slope: 1.0,
                    level: 0.0,
                },
            };
            (tail.slope * units, tail.level * units)
        });
        each.fold(Tail::default(), |sum, (slope, level)| Tail {
            slope: sum.slope + slope,
            level: sum.level + level,
        })
    }
}

/// `points` prices evenly spaced from `low` to `high`, both included.
pub fn price_grid(low: f64, high: f64, points: usize) -> Vec<f64> {
    let step = (high - low) / (points.max(2) - 1) as f64;
    (0..points.max(2)).map(|i| low + step * i as f64).collect()
}
