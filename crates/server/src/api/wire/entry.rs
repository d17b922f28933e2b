//! Where the price of a draft comes from, as it crosses.

use std::collections::BTreeMap;

use desk::{EntryPrice, Holding, Leg, PriceStyle};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

use crate::api::wire::parse_price;
use crate::app::refusal::Refusal;

/// Where the price of a draft comes from.
#[derive(Debug, Clone, PartialEq, Eq, Default, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub enum EntryWire {
    /// Join one's own side.
    Rest,
    /// The middle of the package's market.
    #[default]
    Middle,
    /// Take the other side.
    Cross,
    /// This net price per package, signed: above zero is paid.
    Net(String),
    /// These prices by contract; a leg that is not named is taken at its middle.
    Legs(BTreeMap<String, String>),
}

/// Reads where a price comes from; `unit` is one package.
pub(crate) fn entry(
    wire: &EntryWire,
    unit: &Holding,
    style: PriceStyle,
) -> Result<EntryPrice, Refusal> {
    Ok(match wire {
        EntryWire::Rest => EntryPrice::Rest,
        EntryWire::Middle => EntryPrice::Middle,
        EntryWire::Cross => EntryPrice::Cross,
        EntryWire::Net(text) => EntryPrice::Net(parse_price("entry", text, style)?),
        EntryWire::Legs(prices) => {
            let one = |l: &Leg| {
                prices
                    .get(&l.instrument.to_string())
                    .map(|text| parse_price("entry", text, style))
                    .transpose()
            };
            EntryPrice::Legs(unit.legs().iter().map(one).collect::<Result<_, _>>()?)
        }
    })
}
