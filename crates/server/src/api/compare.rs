//! Drafts in one underlying side by side with the underlying itself, at one price and date.

use axum::Json;
use axum::extract::State;
use desk::{best_of, shared_prices, units_controlled};
use engine::state::{State as DeskState, spot_of, underlying_of};
use market::Quoter;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use crate::api::bench::{
    BenchRequest, ChancesWanted, GridAsked, GridUnit, MovedWire, SpanWire, StepsWire, check_days,
    judge,
};
use crate::api::wire::entry::EntryWire;
use crate::api::wire::words::ComparedRowWord;
use crate::api::wire::{ExtentWire, LegWire, NetPrice, extent, holding, net_price};
use crate::app::refusal::Refusal;
use crate::http::AppState;
use crate::http::problem::{Body, Problem};

/// One draft to compare.
#[derive(Debug, Clone, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct Compared {
    /// What it is called in the answer.
    pub slot: String,
    /// The legs of one package.
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

/// One draft as a column of the comparison.
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
    /// Rows in which it does best.
    pub best: Vec<ComparedRowWord>,
}

/// Drafts side by side, judged at one moment.
#[derive(Debug, Clone, Serialize, ToSchema)]
pub struct Comparison {
    /// Prices of the outlines.
    pub prices: Vec<f64>,
    /// Drafts in the order asked for, then the underlying itself where it can be bought.
    pub columns: Vec<ComparedWire>,
}

/// The most drafts that are compared at once.
const MOST_DRAFTS: usize = 4;

impl CompareRequest {
    fn check(&self, spot: f64) -> Result<(), Refusal> {
        check_days(&[self.days])?;
        let (field, message) = if !(1..=MOST_DRAFTS).contains(&self.drafts.len()) {
            let count = self.drafts.len();
            (
                "drafts",
                format!("{count} drafts; compare 1 to {MOST_DRAFTS}"),
            )
        } else if !(self.price > 0.0 && self.price < spot * 100.0) {
            let (price, symbol) = (self.price, &self.symbol);
            (
                "price",
                format!("{price} is not a price of {symbol}; write one above zero"),
            )
        } else {
            return Ok(());
        };
        Err(Refusal::Field { field, message })
    }
}

fn compared(
    state: &DeskState,
    quoter: &mut Quoter,
    request: &CompareRequest,
) -> Result<Comparison, Refusal> {
    let u = underlying_of(state, &request.symbol)?;
    let spot = spot_of(state, &request.symbol).to_f64();
    request.check(spot)?;
    let mut most = 0;
    for d in &request.drafts {
        most = most.max(units_controlled(&holding(&d.legs)?, u));
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
    let all = request.drafts.iter().map(|d| holding(&d.legs));
    let all = all.collect::<Result<Vec<_>, Refusal>>()?;
    let strikes = all.iter().flat_map(desk::Holding::options);
    let corners = strikes.map(|(c, _)| c.strike.to_f64());
    let prices = shared_prices(&usual, spot, request.price, corners);
    let span = SpanWire::Between([prices[0], prices[prices.len() - 1]]);
    let date = state
        .clock
        .now
        .plus_millis((request.days * 86_400_000.0) as i64);
    let mut judged = Vec::new();
    let mut read = Vec::new();
    for d in request.drafts.iter().chain(&own) {
        let one = judge(state, quoter, &asked(d, span))?;
        let (e, structure) = (&one.evaluation, &one.asked.structure);
        read.push(desk::Compared::of(
            (e, &one.bench),
            u,
            structure,
            date,
            &prices,
        ));
        judged.push((d, one));
    }
    let best = best_of(&read);
    let columns = judged.into_iter().zip(read).zip(best);
    Ok(Comparison {
        columns: columns
            .map(|(((d, one), read), best)| ComparedWire {
                slot: d.slot.clone(),
                name: one.evaluation.label(),
                price: net_price(one.evaluation.price, u.style_of_price),
                profit: read.profit,
                capital: read.tied_up.to_string(),
                part: read.part,
                chance: read.chance,
                leverage: read.leverage,
                least: extent(&one.evaluation.horizon.shape.least),
                outline: read.outline,
                on_date: read.on_date,
                best: best.into_iter().map(ComparedRowWord::from).collect(),
            })
            .collect(),
        prices,
    })
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
