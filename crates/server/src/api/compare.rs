//! Drafts in one underlying side by side with the underlying itself, at one price and date.

use axum::Json;
use axum::extract::State;
use market::Quoter;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use crate::api::bench::{
    BenchRequest, ChancesWanted, GridAsked, GridUnit, Judged, MovedWire, SpanWire, StepsWire,
    check_days, judge,
};
use crate::app::AppState;
use crate::entry_wire::EntryWire;
use crate::problem::{Body, Problem};
use crate::refusal::Refusal;
use crate::state::{State as DeskState, known, spot_of};
use crate::wire::{ExtentWire, LegWire, NetPrice, extent, holding, net_price};

/// One draft to compare.
#[derive(Debug, Clone, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct Compared {
    /// What it is called in the answer.
    pub slot: String,
    /// Its legs.
    pub legs: Vec<LegWire>,
    /// Where its price comes from; the middle when absent.
    #[serde(default)]
    pub entry: EntryWire,
}

/// What is asked.
#[derive(Debug, Clone, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct CompareRequest {
    /// Underlying of all of them.
    pub symbol: String,
    /// Up to four drafts.
    pub drafts: Vec<Compared>,
    /// The price at which they are compared.
    pub price: f64,
    /// And when, in days from now; behind a draft's first expiration its end counts.
    pub days: f64,
}

/// One column.
#[derive(Debug, Clone, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct ComparedWire {
    /// As asked; "stock" for the underlying itself.
    pub slot: String,
    /// "iron condor 205/200 · 175/165".
    pub name: String,
    /// Net price of one package.
    pub price: NetPrice,
    /// Profit at the price and date.
    pub profit: f64,
    /// What is tied up.
    pub capital: String,
    /// Profit as a share of it; absent where nothing is tied up.
    pub part: Option<f64>,
    /// Chance of a profit on the date.
    pub chance: f64,
    /// Value of the units it controls over what is tied up.
    pub leverage: Option<f64>,
    /// Most to lose.
    pub least: ExtentWire,
    /// Profit at its first expiration over the prices.
    pub outline: Vec<f64>,
    /// Profit on the date over the prices.
    pub on_date: Vec<f64>,
    /// Rows in which it does best: "profit", "part", "chance", "leverage", "least".
    pub best: Vec<String>,
}

/// The comparison.
#[derive(Debug, Clone, Serialize, ToSchema)]
pub struct Comparison {
    /// Prices of the outlines.
    pub prices: Vec<f64>,
    /// Drafts in the order asked for, then the underlying itself where it can be bought.
    pub columns: Vec<ComparedWire>,
}

/// Most drafts.
const MOST_DRAFTS: usize = 4;

fn compared(
    state: &DeskState,
    quoter: &mut Quoter,
    request: &CompareRequest,
) -> Result<Comparison, Refusal> {
    let refuse = |field: &'static str, message: String| Err(Refusal::Field { field, message });
    let u = known(state, &request.symbol)?;
    check_days(&[request.days])?;
    if !(1..=MOST_DRAFTS).contains(&request.drafts.len()) {
        return refuse(
            "drafts",
            format!(
                "{} drafts; compare 1 to {MOST_DRAFTS}",
                request.drafts.len()
            ),
        );
    }
    let spot = spot_of(state, &request.symbol).to_f64();
    if !(request.price > 0.0 && request.price < spot * 100.0) {
        return refuse(
            "price",
            format!(
                "{} is not a price of {}; write one above zero",
                request.price, request.symbol
            ),
        );
    }
    // How many shares or futures the largest leg is on.
    let units = |legs: &[LegWire]| -> Result<i64, Refusal> {
        let of = |l: &desk::Leg| {
            let lot = l.instrument.option().map_or(1, |_| u.lot());
            l.quantity.abs() * lot
        };
        let legs = holding(legs)?;
        Ok(legs.legs().iter().map(of).max().unwrap_or(0))
    };
    let mut most = 0;
    for d in &request.drafts {
        most = most.max(units(&d.legs)?);
    }
    let stock = Compared {
        slot: "stock".into(),
        legs: vec![LegWire {
            contract: request.symbol.clone(),
            quantity: most,
        }],
        entry: EntryWire::Middle,
    };
    let own = (u.kind != desk::UnderlyingKind::Index).then_some(stock);
    // One span for all: past the target, and past what the first draft reaches.
    let asked = |d: &Compared, span| BenchRequest {
        symbol: request.symbol.clone(),
        legs: d.legs.clone(),
        entry: d.entry.clone(),
        moved: MovedWire::default(),
        days: vec![request.days],
        span,
        map: false,
        greeks: None,
        grid: Some(GridAsked {
            steps: StepsWire::Prices(vec![request.price]),
            unit: GridUnit::Money,
        }),
        chances: Some(ChancesWanted {
            smile: false,
            lower: None,
            higher: None,
            target_percent: None,
            stop_percent: None,
        }),
    };
    let usual = judge(state, quoter, &asked(&request.drafts[0], SpanWire::Usual))?
        .bench
        .prices;
    let low = usual
        .first()
        .copied()
        .unwrap_or(spot)
        .min(request.price * 0.98);
    let high = usual
        .last()
        .copied()
        .unwrap_or(spot)
        .max(request.price * 1.02);
    // Evenly spaced, so that the curves share their prices.
    let prices: Vec<f64> = (0..=200)
        .map(|i| low + (high - low) * f64::from(i) / 200.0)
        .collect();
    let mut columns = Vec::new();
    for d in request.drafts.iter().chain(&own) {
        let Judged {
            evaluation: e,
            bench: b,
            ..
        } = judge(state, quoter, &asked(d, SpanWire::Between([low, high])))?;
        let at = |values: &[f64]| {
            prices
                .iter()
                .map(|p| between(&b.prices, values, *p))
                .collect::<Vec<f64>>()
        };
        let past = b.horizon.moment
            <= state
                .clock
                .now
                .plus_millis((request.days * 86_400_000.0) as i64);
        let grid = b.grid.as_ref().map_or(&[][..], |g| &g.profit[..]);
        let profit = if past { grid.last() } else { grid.first() }
            .and_then(|p| p.first())
            .copied()
            .unwrap_or(0.0);
        let chances = b.chances.as_ref().map_or(&[][..], |c| &c.dates[..]);
        let chance = if past {
            chances.last()
        } else {
            chances.first()
        }
        .map_or(0.0, |c| c.profit);
        let (capital, outline) = (e.money.tied_up.to_f64(), at(&b.outline));
        let share = |v: f64| (capital > 0.0).then(|| v / capital);
        columns.push(ComparedWire {
            slot: d.slot.clone(),
            name: format!("{} {}", e.name.text, e.unit.strikes_label())
                .trim_end()
                .to_owned(),
            price: net_price(e.price, u.style_of_price),
            profit,
            capital: e.money.tied_up.to_string(),
            part: share(profit),
            chance,
            leverage: share(
                units(&d.legs)? as f64
                    * if u.kind == desk::UnderlyingKind::Future {
                        u.multiplier as f64
                    } else {
                        1.0
                    }
                    * spot,
            ),
            least: extent(&e.horizon.shape.least),
            on_date: if past {
                outline.clone()
            } else {
                b.lines.first().map_or_else(Vec::new, |l| at(&l.profit))
            },
            outline,
            best: Vec::new(),
        });
    }
    mark_best(&mut columns);
    Ok(Comparison { prices, columns })
}

/// A curve at a price, straight between its points.
fn between(prices: &[f64], values: &[f64], at: f64) -> f64 {
    let after = prices
        .partition_point(|p| *p < at)
        .clamp(1, prices.len() - 1);
    let share = (at - prices[after - 1]) / (prices[after] - prices[after - 1]);
    values[after - 1] + share * (values[after] - values[after - 1])
}

fn mark_best(columns: &mut [ComparedWire]) {
    type Row = (&'static str, fn(&ComparedWire) -> Option<f64>);
    let rows: [Row; 5] = [
        ("profit", |c| Some(c.profit)),
        ("part", |c| c.part),
        ("chance", |c| Some(c.chance)),
        ("leverage", |c| c.leverage),
        ("least", |c| {
            c.least.profit.as_deref().and_then(|p| p.parse().ok())
        }),
    ];
    for (name, of) in rows {
        let best = columns.iter().filter_map(of).reduce(f64::max);
        for c in columns
            .iter_mut()
            .filter(|c| of(c).is_some() && of(c) == best)
        {
            c.best.push(name.into());
        }
    }
}

/// Compares drafts at one price and date.
#[utoipa::path(
    post,
    path = "/compare",
    tag = "evaluate",
    request_body = CompareRequest,
    responses(
        (status = 200, body = Comparison),
        (status = 404, body = Problem),
        (status = 422, body = Problem),
    ),
)]
async fn compare(
    State(app): State<AppState>,
    Body(request): Body<CompareRequest>,
) -> Result<Json<Comparison>, Problem> {
    Ok(Json(
        app.read(move |state, quoter| compared(state, quoter, &request))
            .await??,
    ))
}

pub(crate) fn router() -> OpenApiRouter<AppState> {
    OpenApiRouter::new().routes(routes!(compare))
}
