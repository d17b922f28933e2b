//! Drills: kept, read back, played over past sessions up to now, many at once.

mod beside;
mod kept;
mod played;
mod sweep;

pub(crate) use played::{SummaryWire, summary};
use serde::Deserialize;
use serde_json::Value;
use utoipa::ToSchema;
use utoipa_axum::router::OpenApiRouter;

use crate::app::refusal::Refusal;
use crate::http::AppState;
use crate::interchange::drill::{Combination, combinations};

/// A drill to be played; of one whose numbers are lists, the sweep plays all.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
struct DrillAsked {
    /// The drill, as [`DrillText`](crate::interchange::drill::DrillText) has it.
    #[serde(deserialize_with = "object")]
    #[schema(value_type = BTreeMap<String, Value>)]
    drill: Value,
}

/// A table, as text or with lists of numbers; nothing else can be one.
fn object<'de, D: serde::Deserializer<'de>>(from: D) -> Result<Value, D::Error> {
    serde_json::Map::deserialize(from).map(Value::Object)
}

fn wrong(message: String) -> Refusal {
    Refusal::Field {
        field: "drill",
        message,
    }
}

impl DrillAsked {
    /// Every drill that is meant.
    fn all(&self) -> Result<Vec<Combination>, Refusal> {
        combinations(&self.drill).map_err(wrong)
    }

    /// The one drill that is meant.
    fn one(&self) -> Result<plans::drill::Drill, Refusal> {
        let all = self.all()?;
        match all.as_slice() {
            [(_, text)] => text.drill().map_err(wrong),
            many => Err(wrong(format!(
                "it stands for {} drills, since numbers of it are lists; play all of them, or write one \
                 number each",
                many.len()
            ))),
        }
    }
}

pub(crate) fn router() -> OpenApiRouter<AppState> {
    OpenApiRouter::new()
        .merge(beside::router())
        .merge(kept::router())
        .merge(played::router())
        .merge(sweep::router())
}
