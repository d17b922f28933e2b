//! Markets around theoretical value.
//!
//! The theoretical value is the model price at the surface's volatility. American options are priced
//! as the European price of the very moment plus an early-exercise premium whose boundary is solved
//! at the start of the current five minutes: a pure function of the moment that needs one boundary
//! per contract per five minutes. Around it stands a width by liquidity, price, moneyness and time of
//! day; quotes are rounded outward to the tick, and far strikes may have no bid.

use std::collections::HashMap;

use desk::calendar::{close_of, last_trading, open_of};
use desk::{Contract, LegMarket, Moment, Price, Quote, Underlying, day_number, terms_of};
use quant::{Accuracy, Model, Style, Terms, european, implied_vol};

use crate::noise::{Noise, Stream, name_key};
use crate::world::World;

const SLOT: i64 = 5 * 60_000;
/// Quotes shift a little inside their width this often.
const FLICKER: i64 = 6_000;

/// One contract as the chain shows it.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Listed {
    /// Its market.
    pub quote: Quote,
    /// Theoretical value per unit.
    pub theoretical: f64,
    /// Delta per unit, at the surface's volatility.
    pub delta: f64,
    /// Volatility implied by the middle; absent without a bid, and where bid and ask lie thirty points apart.
    pub implied: Option<f64>,
}

/// Solved boundaries of the current five minutes. Only a memory: every answer is a function of the
/// world and the moment.
#[derive(Default)]
pub struct Quoter {
    anchors: HashMap<Contract, (i64, Option<Anchor>)>,
}

struct Anchor {
    american: Model,
    european: Terms,
}

impl Anchor {
    /// What early exercise adds at this spot.
    fn premium(&self, spot: f64) -> f64 {
        (self.american.price(spot) - quant::european_price(&self.european, spot)).max(0.0)
    }
}

/// A contract's place in the world: what quoting needs besides the moment.
struct Place<'a> {
    world: &'a World,
    underlying: &'a Underlying,
    contract: &'a Contract,
    key: u64,
}

impl Quoter {
    /// An empty memory.
    pub fn new() -> Quoter {
        Quoter::default()
    }

    /// Quotes one contract; `None` when its root is unknown or it has expired.
    pub fn quote(&mut self, world: &World, contract: &Contract, at: Moment) -> Option<Listed> {
        let underlying = world.owner(contract)?;
        let spot = world.spot(&underlying.symbol, at)?.to_f64();
        self.quote_at(world, underlying, contract, at, spot)
    }

    /// As [`Quoter::quote`], with the spot already known.
    pub fn quote_at(&mut self, world: &World, underlying: &Underlying, contract: &Contract, at: Moment, spot: f64) -> Option<Listed> {
        let expiry = underlying.expiry_moment(contract);
        if expiry <= at {
            return None;
        }
        let place = Place { world, underlying, contract, key: name_key(&contract.to_string()) };
        let terms = place.terms(at, spot)?;
        let mut value = european(&terms, spot);
        if underlying.style == Style::American {
            let anchor = self.anchor(&place, at);
            if let Some(anchor) = anchor {
                let intrinsic = contract.kind.intrinsic(spot, terms.strike);
                let h = spot * 1e-4;
                let premium = anchor.premium(spot);
                value.price = (value.price + premium).max(intrinsic);
                value.delta += (anchor.premium(spot + h) - anchor.premium(spot - h)) / (2.0 * h);
                value.delta = value.delta.clamp(-1.0, 1.0);
            }
        }
        let quote = place.market(value.price, value.delta, at, spot)?;
        let off = quote.mid().to_f64() - value.price;
        let width = (quote.ask - quote.bid).to_f64();
        let informative = value.vega_point > width / 30.0 && quote.bid.raw() > 0;
        // The middle lies within a tick or two of the theoretical value: one Newton step is exact to
        // a hundredth of a point where the number means anything.
        let implied = (terms.vol + off / (value.vega_point * 100.0)).max(0.0);
        Some(Listed { quote, theoretical: value.price, delta: value.delta, implied: informative.then_some(implied) })
    }

    /// What an evaluation needs of one leg: quotes and the volatility its mark implies.
    pub fn leg(&mut self, world: &World, contract: &Contract, at: Moment) -> Option<LegMarket> {
        let underlying = world.owner(contract)?;
        let spot = world.spot(&underlying.symbol, at)?.to_f64();
        let listed = self.quote_at(world, underlying, contract, at, spot)?;
        let place = Place { world, underlying, contract, key: 0 };
        let terms = place.terms(at, spot)?;
        let mark = listed.quote.mark().to_f64();
        let vol = listed.implied.and_then(|_| implied_vol(&terms, spot, mark).ok()).filter(|v| *v > 0.005).unwrap_or(terms.vol);
        Some(LegMarket { quote: listed.quote, vol, theoretical: listed.theoretical, rate: terms.rate })
    }

    fn anchor(&mut self, place: &Place<'_>, at: Moment) -> Option<&Anchor> {
        let slot = at.millis().div_euclid(SLOT);
        let entry = self.anchors.entry(place.contract.clone()).or_insert((i64::MIN, None));
        if entry.0 != slot {
            let start = Moment::from_millis(slot * SLOT);
            let built = place.world.spot(&place.underlying.symbol, start).and_then(|spot| {
                let terms = place.terms(start, spot.to_f64())?;
                let american = Model::new(&terms, Accuracy::Interactive).ok()?;
                Some(Anchor { american, european: Terms { style: Style::European, ..terms } })
            });
            *entry = (slot, built);
        }
        entry.1.as_ref()
    }

    /// Forgets contracts that have expired.
    pub fn forget_before(&mut self, at: Moment) {
        let today = at.date();
        self.anchors.retain(|c, _| c.expiry >= today);
    }
}

impl Place<'_> {
    fn terms(&self, at: Moment, spot: f64) -> Option<Terms> {
        let expiry = self.underlying.expiry_moment(self.contract);
        let years = at.years_until(expiry);
        let vol = self.world.surface_vol(&self.underlying.symbol, at, expiry, self.contract.strike.to_f64(), spot)?;
        Some(terms_of(self.contract, self.underlying, at, self.world.rate(years), vol))
    }

    fn noise(&self) -> Noise {
        self.world.noise()
    }

    fn market(&self, value: f64, delta: f64, at: Moment, spot: f64) -> Option<Quote> {
        let spec = self.world.spec(&self.underlying.symbol)?;
        // Closed, the last quotes of the session stand.
        let live = last_trading(at);
        let day = day_number(live.date());
        let minute = live.millis() / 60_000;
        let since_open = (live.millis() - open_of(live.date()).millis()) as f64 / 60_000.0;
        let early = 1.0 + 0.8 * (-since_open / 15.0).exp();
        let wiggle = 0.8 + 0.5 * self.noise().uniform(Stream::Width, self.key, minute);
        let deep = 1.0 + 1.2 * (delta.abs() - 0.5).max(0.0);
        let scale = spot / 200.0;
        let width = spec.width * early * wiggle * deep * (0.025 * scale.max(0.2) + 0.011 * value.max(0.0)).max(0.0);
        // Each contract shifts at an instant of its own.
        let beat = (live.millis() + (self.key % FLICKER as u64) as i64) / FLICKER;
        let lean = (self.noise().uniform(Stream::Skew, self.key, beat) - 0.5) * 0.3 * width;
        let ticks = &self.underlying.ticks;
        let centre = value + lean;
        let bid = ticks.floor(Price::from_f64((centre - width / 2.0).max(0.0))?);
        let mut ask = ticks.ceil(Price::from_f64((centre + width / 2.0).max(0.0))?);
        if ask <= bid {
            ask = ticks.ceil(bid + ticks.tick_at(bid));
        }
        let uniform = |stream, index| self.noise().uniform(stream, self.key, index);
        let size = |side: i64| 1 + (uniform(Stream::Size, 2 * beat + side).powi(2) * 60.0 * spec.activity.sqrt()) as i64;
        let popularity = self.popularity(spec.activity, spot);
        let session = (close_of(live.date()).millis() - open_of(live.date()).millis()) as f64 / 60_000.0;
        let part = since_open / session;
        let volume = popularity * 0.12 * part * 2.0 * uniform(Stream::Volume, day);
        let drift = 0.85 + 0.3 * uniform(Stream::Interest, day / 5);
        Some(Quote {
            bid,
            ask,
            bid_size: if bid.raw() == 0 { 0 } else { size(0) },
            ask_size: size(1),
            volume: volume as i64,
            open_interest: (popularity * drift) as i64,
        })
    }

    /// Contracts open: most near the money, at round strikes and in monthlies.
    fn popularity(&self, activity: f64, spot: f64) -> f64 {
        let strike = self.contract.strike.to_f64();
        let distance = (strike / spot).ln();
        let near = (-(distance * 7.0).powi(2)).exp() + 0.03;
        let unit = 10_f64.powf((spot.log10() - 1.0).floor());
        let round = if strike % (5.0 * unit) == 0.0 {
            3.0
        } else if strike % unit == 0.0 {
            1.8
        } else {
            0.7
        };
        let monthly = if desk::calendar::monthly_expiration(self.contract.expiry.year(), self.contract.expiry.month()) == self.contract.expiry {
            3.0
        } else {
            1.0
        };
        let own = 0.3 + 1.4 * self.noise().uniform(Stream::Interest, self.key, -1);
        900.0 * activity * near * round * monthly * own
    }
}
