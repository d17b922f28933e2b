//! All options of one expiration, as arrays.
//!
//! Options of one expiration differ in strike, kind and volatility alone. Their exercise boundary
//! does not depend on the strike, and on the volatility smoothly: it is solved at eight Chebyshev
//! points in ln σ over the smile, once for calls and once for puts (and again at two neighbouring
//! rates for rho), and interpolated between them (barycentric formula; Berrut & Trefethen, *SIAM
//! Review* 46 (2004) 501–517). An option then costs its value integral alone. Interpolation adds
//! about 1e-9 of the strike to the error of
//! [`Accuracy::Interactive`] while the smile's volatilities stay within a factor of 2.5; wider
//! smiles are cut. The reference setting and short lists are priced option by option.

use rayon::prelude::*;
use thiserror::Error;

use crate::american::PutValue;
use crate::batch::{Vanilla, value_all};
use crate::boundary::{Boundaries, Put};
use crate::european::europeans;
use crate::model::{Accuracy, Bumps, Engine, PricedOn, strained};
use crate::scheme::{Lanes, WIDTH, interpolation_weights};
use crate::terms::{self, Kind, Style, Terms, Valuation};

/// One expiration: what its options share, and arrays of what they do not, of one length.
#[derive(Debug, Clone, Copy)]
pub struct Chain<'a> {
    /// When they may be exercised.
    pub style: Style,
    /// What they are on: decides what rho holds.
    pub on: PricedOn,
    /// Price of the underlying.
    pub spot: f64,
    /// Years of 365 days to expiry.
    pub time: f64,
    /// Interest, continuously compounded per year.
    pub rate: f64,
    /// Dividend yield, or the rate itself on a future.
    pub carry_yield: f64,
    /// Call or put, each.
    pub kinds: &'a [Kind],
    /// Strikes, one for each option, in the unit of the spot.
    pub strikes: &'a [f64],
    /// Volatilities per year, as fractions.
    pub vols: &'a [f64],
}

/// Prices and Greeks, array by array, in the order and the units of [`Valuation`].
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Values {
    /// Present values, per unit of the underlying.
    pub price: Vec<f64>,
    /// Per unit of the underlying.
    pub delta: Vec<f64>,
    /// Change of delta per unit of the underlying.
    pub gamma: Vec<f64>,
    /// Per calendar day.
    pub theta_day: Vec<f64>,
    /// Per volatility point.
    pub vega_point: Vec<f64>,
    /// Per percentage point of interest.
    pub rho_point: Vec<f64>,
}

/// Why a chain was refused.
#[derive(Debug, Clone, Copy, PartialEq, Error)]
pub enum ChainError {
    /// The arrays are of different lengths.
    #[error(
        "{kinds} kinds, {strikes} strikes and {vols} volatilities: one of each is needed for each \
         option"
    )]
    Lengths {
        /// How many kinds.
        kinds: usize,
        /// How many strikes.
        strikes: usize,
        /// How many volatilities.
        vols: usize,
    },
    /// One option cannot be priced.
    #[error("option {place}: {error}")]
    Option {
        /// Its place in the arrays.
        place: usize,
        /// What is wrong with its terms.
        error: terms::Error,
    },
}

impl Values {
    fn zeros(count: usize) -> Values {
        let zeros = || vec![0.0; count];
        Values {
            price: zeros(),
            delta: zeros(),
            gamma: zeros(),
            theta_day: zeros(),
            vega_point: zeros(),
            rho_point: zeros(),
        }
    }

    fn set(&mut self, place: usize, v: &Valuation) {
        self.price[place] = v.price;
        self.delta[place] = v.delta;
        self.gamma[place] = v.gamma;
        self.theta_day[place] = v.theta_day;
        self.vega_point[place] = v.vega_point;
        self.rho_point[place] = v.rho_point;
    }
}

impl Chain<'_> {
    fn contract(&self, place: usize) -> Vanilla {
        let terms = Terms {
            kind: self.kinds[place],
            style: self.style,
            strike: self.strikes[place],
            time: self.time,
            rate: self.rate,
            carry_yield: self.carry_yield,
            vol: self.vols[place],
        };
        Vanilla {
            terms,
            spot: self.spot,
            on: self.on,
        }
    }
}

/// Fewer options than this are not worth a common boundary.
const FEW: usize = 12;
/// Highest volatility over lowest that one interpolation spans.
const SPAN: f64 = 2.5;

/// Prices and Greeks of one expiration.
///
/// ```
/// use quant::{Accuracy, Chain, Kind, PricedOn, Style, value_chain};
/// let strikes: Vec<f64> = (90..=110).map(f64::from).collect();
/// let chain = Chain {
///     style: Style::American,
///     on: PricedOn::Spot,
///     spot: 100.0,
///     time: 0.25,
///     rate: 0.05,
///     carry_yield: 0.0,
///     kinds: &[Kind::Put; 21],
///     strikes: &strikes,
///     vols: &[0.20; 21],
/// };
/// let values = value_chain(&chain, Accuracy::Interactive)?;
/// // A put is worth more the higher its strike.
/// assert!(values.price.is_sorted() && values.price[20] >= 10.0);
/// # Ok::<(), quant::ChainError>(())
/// ```
///
/// # Errors
/// Columns of different lengths, or terms that no engine covers.
pub fn value_chain(chain: &Chain<'_>, accuracy: Accuracy) -> Result<Values, ChainError> {
    let count = chain.strikes.len();
    if chain.kinds.len() != count || chain.vols.len() != count {
        return Err(ChainError::Lengths {
            kinds: chain.kinds.len(),
            strikes: count,
            vols: chain.vols.len(),
        });
    }
    let mut out = Values::zeros(count);
    let mut alone: Vec<usize> = Vec::new();
    let (mut calls, mut puts) = (Vec::new(), Vec::new());
    for place in 0..count {
        let c = chain.contract(place);
        let engine = c
            .engine()
            .map_err(|error| ChainError::Option { place, error })?;
        match (engine, accuracy, c.terms.kind) {
            (Engine::Boundary, Accuracy::Interactive, Kind::Call) => calls.push(place),
            (Engine::Boundary, Accuracy::Interactive, Kind::Put) => puts.push(place),
            _ => alone.push(place),
        }
    }
    for mut together in [calls, puts] {
        together.sort_by(|a, b| chain.vols[*a].total_cmp(&chain.vols[*b]));
        while let Some(first) = together.first() {
            let most = chain.vols[*first] * SPAN;
            let rest = together.split_off(together.partition_point(|p| chain.vols[*p] <= most));
            if together.len() < FEW {
                alone.append(&mut together)
            } else {
                smile(chain, &together, &mut out)
            }
            together = rest;
        }
    }
    let contracts: Vec<Vanilla> = alone.iter().map(|p| chain.contract(*p)).collect();
    for (place, value) in alone.into_iter().zip(value_all(&contracts, accuracy)) {
        out.set(
            place,
            &value.map_err(|error| ChainError::Option { place, error })?,
        );
    }
    Ok(out)
}

/// Many expirations, on all cores.
pub fn value_chains(chains: &[Chain<'_>], accuracy: Accuracy) -> Vec<Result<Values, ChainError>> {
    chains
        .par_iter()
        .map(|chain| value_chain(chain, accuracy))
        .collect()
}

/// Exercise boundaries of an American expiration over a range of volatilities, solved once: what
/// early exercise adds to any of its options, at any spot, for some nanoseconds each.
#[derive(Debug, Clone)]
pub struct EarlyExercise {
    nodes: Nodes,
    calls: Option<Boundaries>,
    puts: Option<Boundaries>,
    shared: Terms,
}

impl EarlyExercise {
    /// For options of these kinds that end in `time` years with volatilities from `low` to `high`
    /// (those outside are taken at the nearer end).
    ///
    /// # Errors
    /// Terms that no engine covers.
    pub fn new(
        kinds: &[Kind],
        time: f64,
        rate: f64,
        carry_yield: f64,
        low: f64,
        high: f64,
    ) -> Result<EarlyExercise, terms::Error> {
        let low = terms::positive("volatility", low)?;
        let nodes = Nodes::new(low, terms::within("highest volatility", high, low, 50.0)?);
        let shared = Terms {
            kind: Kind::Put,
            style: Style::American,
            strike: 1.0,
            time,
            rate,
            carry_yield,
            vol: nodes.vols[0],
        };
        let solve = |kind: Kind| -> Result<Option<Boundaries>, terms::Error> {
            let terms = Terms { kind, ..shared };
            let puts = nodes.vols.map(|vol| Bumps::put(&Terms { vol, ..terms }));
            Ok(
                (kinds.contains(&kind) && Engine::of(&terms)? == Engine::Boundary).then(|| {
                    Boundaries::solve(&puts, Accuracy::Interactive.scheme(strained(&terms)))
                }),
            )
        };
        Ok(EarlyExercise {
            calls: solve(Kind::Call)?,
            puts: solve(Kind::Put)?,
            nodes,
            shared,
        })
    }

    /// What early exercise adds to price and to delta of each option (kind, strike, volatility)
    /// over the European ones; nothing where it never pays, and for kinds that were not asked for.
    ///
    /// ```
    /// use quant::{EarlyExercise, Kind};
    /// let kept = EarlyExercise::new(&[Kind::Put], 0.25, 0.05, 0.0, 0.15, 0.30)?;
    /// let put = kept.premiums(&[(Kind::Put, 100.0, 0.20)], 95.0)[0];
    /// // What may be exercised early costs some cents more, and falls a little faster.
    /// assert!(put.0 > 0.05 && put.0 < 0.50 && put.1 < 0.0);
    /// // Nothing was solved for calls, which are held to their end here.
    /// assert_eq!(kept.premiums(&[(Kind::Call, 100.0, 0.20)], 95.0)[0], (0.0, 0.0));
    /// # Ok::<(), quant::Error>(())
    /// ```
    pub fn premiums(&self, options: &[(Kind, f64, f64)], spot: f64) -> Vec<(f64, f64)> {
        let mut out = vec![(0.0, 0.0); options.len()];
        for (kind, boundaries) in [(Kind::Call, &self.calls), (Kind::Put, &self.puts)] {
            let Some(boundaries) = boundaries else {
                continue;
            };
            let places: Vec<usize> = (0..options.len())
                .filter(|i| options[*i].0 == kind)
                .collect();
            let terms = |place: usize| Terms {
                kind,
                strike: options[place].1,
                vol: self.nodes.within(options[place].2),
                ..self.shared
            };
            let rows: Vec<(Terms, f64)> = places.iter().map(|p| (terms(*p), spot)).collect();
            let plain = europeans(&rows);
            for (block, places) in rows.chunks(WIDTH).zip(places.chunks(WIDTH)) {
                let lane = |l: usize| &block[l.min(block.len() - 1)].0;
                let vols: Lanes = std::array::from_fn(|l| lane(l).vol);
                let x: Lanes = std::array::from_fn(|l| Bumps::moneyness(lane(l), spot));
                let values = boundaries.refined_between(
                    &self.nodes.weights(&vols),
                    &vols.map(|v| v * self.shared.time.sqrt()),
                    &x,
                );
                for ((place, (t, _)), value) in places.iter().zip(block).zip(values) {
                    let own = Bumps::unmirrored(t, spot, &value);
                    out[*place] = (own.price, own.delta);
                }
            }
            for (place, v) in places.into_iter().zip(plain) {
                let (price, delta) = out[place];
                out[place] = ((price - v.price).max(0.0), delta - v.delta);
            }
        }
        out
    }
}

/// Options of one kind with volatilities in ascending order, from common boundaries.
fn smile(chain: &Chain<'_>, places: &[usize], out: &mut Values) {
    let contracts: Vec<Vanilla> = places.iter().map(|p| chain.contract(*p)).collect();
    let (first, last) = (&contracts[0].terms, &contracts[contracts.len() - 1].terms);
    let nodes = Nodes::new(first.vol, last.vol);
    let solved: Vec<Bumps> = nodes
        .vols
        .iter()
        .map(|vol| {
            Bumps::of(
                &Terms {
                    vol: *vol,
                    ..*first
                },
                chain.on,
            )
        })
        .collect();
    // Strain falls with volatility.
    let scheme = Accuracy::Interactive.scheme(strained(&Terms {
        vol: nodes.vols[0],
        ..*first
    }));
    let at = |bump: usize| {
        Boundaries::solve(
            &solved.iter().map(|b| b.puts[bump]).collect::<Vec<Put>>(),
            scheme,
        )
    };
    let (now, rate_up, rate_down) = (at(0), at(3), at(4));
    let root_time = chain.time.sqrt();
    for (places, contracts) in places.chunks(WIDTH).zip(contracts.chunks(WIDTH)) {
        let lane = |l: usize| &contracts[l.min(contracts.len() - 1)];
        let bumps: [Bumps; WIDTH] = std::array::from_fn(|l| Bumps::of(&lane(l).terms, chain.on));
        let x: Lanes = std::array::from_fn(|l| Bumps::moneyness(&lane(l).terms, chain.spot));
        let valued = |boundaries: &Boundaries, bump: usize| -> [PutValue; WIDTH] {
            let vols: Lanes = std::array::from_fn(|l| bumps[l].puts[bump].vol);
            let (weights, deviation) = (nodes.weights(&vols), vols.map(|v| v * root_time));
            if bump == 0 {
                boundaries.refined_between(&weights, &deviation, &x)
            } else {
                boundaries.between(&weights, &deviation, &x)
            }
        };
        let five = [
            valued(&now, 0),
            valued(&now, 1),
            valued(&now, 2),
            valued(&rate_up, 3),
            valued(&rate_down, 4),
        ];
        for (l, (place, c)) in places.iter().zip(contracts).enumerate() {
            out.set(
                *place,
                &bumps[l].valuation(&c.terms, chain.spot, &five.map(|lanes| lanes[l])),
            );
        }
    }
}

/// Chebyshev points in ln σ.
#[derive(Debug, Clone, Copy)]
struct Nodes {
    vols: Lanes,
    logs: Lanes,
}

impl Nodes {
    /// Between two volatilities; wide enough to part them.
    fn new(low: f64, high: f64) -> Nodes {
        let (low, high) = (libm::log(low * 0.995), libm::log(high * 1.005));
        let logs: Lanes = std::array::from_fn(|m| {
            let angle = m as f64 * std::f64::consts::PI / (WIDTH - 1) as f64;
            0.5 * (low + high) - 0.5 * (high - low) * angle.cos()
        });
        Nodes {
            vols: logs.map(libm::exp),
            logs,
        }
    }

    /// A volatility, or the nearer end.
    fn within(&self, vol: f64) -> f64 {
        vol.clamp(self.vols[0], self.vols[WIDTH - 1])
    }

    /// What each lane's volatility takes of each point.
    fn weights(&self, vols: &Lanes) -> [Lanes; WIDTH] {
        let mut out = [[0.0; WIDTH]; WIDTH];
        for (l, vol) in vols.iter().enumerate() {
            let mut row = [0.0; WIDTH];
            interpolation_weights(&self.logs, libm::log(*vol), &mut row);
            for m in 0..WIDTH {
                out[m][l] = row[m];
            }
        }
        out
    }
}
