//! What is looked at, and through what: shared by all that the page of the book asks.

use std::collections::{BTreeMap, BTreeSet};

use desk::book::VolAnswer;
use engine::State;
use engine::balance::{Apart, Betas, Chosen, Considered, Lens};
use engine::commands::trading;
use engine::state::underlying_of;
use serde::Deserialize;
use utoipa::ToSchema;

use crate::api::wire::{LegWire, holding};
use crate::app::refusal::Refusal;

/// Most drafts that are looked at together.
const MOST_DRAFTS: usize = 60;

/// How much names move with the index.
#[derive(Debug, Clone, Default, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase", deny_unknown_fields)]
pub(crate) struct BetasWire {
    /// Estimated over so many sessions, 20 to 750; absent: the market's own.
    #[serde(default)]
    sessions: Option<usize>,
    /// Two thirds of each, and one third of 1.
    #[serde(default)]
    toward_one: bool,
    /// The trader's own, by symbol.
    #[serde(default)]
    own: BTreeMap<String, f64>,
}

/// How volatility answers.
#[derive(Debug, Clone, Copy, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase", deny_unknown_fields)]
pub(crate) enum VolWire {
    /// Each moves by so many points, −50 to 100.
    Points(f64),
    /// Each answers its own name by so many times its fall, −5 to 10.
    PerMove(f64),
}

/// A name that moves beside the index.
#[derive(Debug, Clone, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase", deny_unknown_fields)]
pub(crate) struct ApartWire {
    /// One symbol; or
    #[serde(default)]
    symbol: Option<String>,
    /// every name of a sector.
    #[serde(default)]
    sector: Option<String>,
    /// Percent of its price, −99 to 200.
    percent: f64,
}

/// A draft that is looked at beside the book.
#[derive(Debug, Clone, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase", deny_unknown_fields)]
pub(crate) struct ConsideredWire {
    /// The name that it is switched by.
    key: String,
    /// What it is called.
    #[serde(default)]
    name: Option<String>,
    /// What it is on.
    symbol: String,
    /// The legs of one package.
    legs: Vec<LegWire>,
}

/// What is looked at, and through what.
#[derive(Debug, Clone, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase", deny_unknown_fields)]
pub(crate) struct LookWire {
    /// In terms of this underlying; absent: the broad index.
    #[serde(default)]
    index: Option<String>,
    /// Whose betas the book is told with.
    #[serde(default)]
    betas: BetasWire,
    /// Volatility; absent: it stays.
    #[serde(default)]
    vol: Option<VolWire>,
    /// Names that move beside the index.
    #[serde(default)]
    apart: Vec<ApartWire>,
    /// What is really held counts.
    held: bool,
    /// Of that without these, by key (`c12`).
    #[serde(default)]
    off: BTreeSet<String>,
    /// Orders and drafts with these, by key.
    #[serde(default)]
    on: BTreeSet<String>,
    /// Drafts that are considered beside what is held.
    #[serde(default)]
    drafts: Vec<ConsideredWire>,
}

/// A number within its range.
pub(crate) fn within(
    field: &'static str,
    x: f64,
    (from, to): (f64, f64),
    unit: &str,
) -> Result<f64, Refusal> {
    if (from..=to).contains(&x) {
        return Ok(x);
    }
    Err(Refusal::Field {
        field,
        message: format!("{x} is out of range; write {from} to {to}{unit}"),
    })
}

impl LookWire {
    /// The index and the betas that the book is told in.
    pub(crate) fn lens(&self, state: &State) -> Result<Lens, Refusal> {
        let index = self
            .index
            .clone()
            .unwrap_or_else(|| state.world.index().to_owned());
        underlying_of(state, &index)?;
        if let Some(n) = self.betas.sessions {
            within("betas", n as f64, (20.0, 750.0), " sessions")?;
        }
        for (symbol, beta) in &self.betas.own {
            underlying_of(state, symbol)?;
            within("betas", *beta, (-10.0, 10.0), "")?;
        }
        let vol = match self.vol {
            None => VolAnswer::Stays,
            Some(VolWire::Points(p)) => {
                VolAnswer::Points(within("vol", p, (-50.0, 100.0), " points")? / 100.0)
            }
            Some(VolWire::PerMove(k)) => {
                VolAnswer::PerMove(within("vol", k, (-5.0, 10.0), " times")?)
            }
        };
        let apart = self.apart.iter().map(|a| {
            let by = within("apart", a.percent, (-99.0, 200.0), " %")? / 100.0;
            let whom = match (&a.symbol, &a.sector) {
                (Some(symbol), None) => Apart::Symbol(underlying_of(state, symbol)?.symbol.clone()),
                (None, Some(sector)) => Apart::Sector(sector.clone()),
                _ => {
                    return Err(Refusal::Field {
                        field: "apart",
                        message: "name a symbol or a sector, one of both".into(),
                    });
                }
            };
            Ok((whom, by))
        });
        Ok(Lens {
            index,
            betas: Betas {
                sessions: self.betas.sessions,
                toward_one: self.betas.toward_one,
                own: self.betas.own.clone(),
            },
            vol,
            apart: apart.collect::<Result<_, Refusal>>()?,
        })
    }

    /// What is chosen.
    pub(crate) fn chosen(&self, state: &State) -> Result<Chosen, Refusal> {
        if self.drafts.len() > MOST_DRAFTS {
            return Err(Refusal::TooMany {
                what: "drafts are looked at together",
                most: MOST_DRAFTS,
                remedy: "leave some out",
            });
        }
        let read = |d: &ConsideredWire| {
            let holding = holding(&d.legs)?;
            trading::check_legs(state, &d.symbol, &holding.unit())?;
            Ok(Considered {
                key: d.key.clone(),
                name: d.name.clone(),
                symbol: d.symbol.clone(),
                holding,
            })
        };
        Ok(Chosen {
            held: self.held,
            off: self.off.clone(),
            on: self.on.clone(),
            drafts: self
                .drafts
                .iter()
                .map(read)
                .collect::<Result<_, Refusal>>()?,
        })
    }
}
