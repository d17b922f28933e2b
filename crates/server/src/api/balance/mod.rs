//! The account's money and margin, its rules, the margin sheet of a structure; and the whole book in
//! the terms of one index.

pub(crate) mod asked;
pub(crate) mod bands;
pub(crate) mod book;
mod chances;
mod explained;
mod mend;
mod papers;
pub(crate) mod sheet;

use axum::Json;
use axum::extract::State;
use axum::http::StatusCode;
use desk::{AccountRules, DayTradeSwitch, Money, Proposal};
use engine::commands::trading;
use engine::state::underlying_of;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use crate::api::balance::sheet::{Balance, MarginSheet};
use crate::api::wire::entry::entry;
use crate::api::wire::evaluation::EvaluateRequest;
use crate::api::wire::holding;
use crate::api::wire::words::AccountKindWord;
use crate::app::refusal::Refusal;
use crate::http::AppState;
use crate::http::problem::{Body, Problem};

/// Money, margin, day trades and settlement of the whole account.
#[utoipa::path(get, path = "/balance", tag = "account", responses((status = 200, body = Balance)))]
async fn balance(State(app): State<AppState>) -> Result<Json<Balance>, Problem> {
    Ok(Json(app.read(sheet::balance).await?))
}

/// Kind and level of the account.
#[derive(Debug, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase", deny_unknown_fields)]
struct AccountRulesWire {
    /// Whether it is a margin, a cash or a portfolio account.
    kind: AccountKindWord,
    /// Level of approval, 0 to 5.
    level: u8,
    /// Day trades are counted as the dated rules say; false: not at all.
    day_trades_by_date: bool,
}

/// Sets kind and level of the account, and whether day trades are counted.
#[utoipa::path(
    put,
    path = "/account/rules",
    tag = "account",
    request_body = AccountRulesWire,
    responses((status = 204), (status = 422, body = Problem)),
)]
async fn set_account_rules(
    State(app): State<AppState>,
    Body(wire): Body<AccountRulesWire>,
) -> Result<StatusCode, Problem> {
    let switch = if wire.day_trades_by_date {
        DayTradeSwitch::ByDate
    } else {
        DayTradeSwitch::Off
    };
    app.command(move |desk| {
        desk.set_account_rules(
            AccountRules {
                kind: wire.kind.into(),
                level: wire.level,
            },
            switch,
        )
    })
    .await?;
    Ok(StatusCode::NO_CONTENT)
}

/// Paper money paid in.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
struct DepositRequest {
    /// Whole cents, above zero.
    amount: String,
}

/// Most that is paid in at once.
const MOST_PAID_IN: Money = Money::whole(10_000_000);

/// Pays paper money in.
#[utoipa::path(
    post,
    path = "/account/deposit",
    tag = "account",
    request_body = DepositRequest,
    responses((status = 204), (status = 422, body = Problem)),
)]
async fn deposit(
    State(app): State<AppState>,
    Body(request): Body<DepositRequest>,
) -> Result<StatusCode, Problem> {
    let wrong = |message: String| Refusal::Field {
        field: "amount",
        message,
    };
    let amount: Money = request
        .amount
        .parse()
        .map_err(|e: desk::NumberError| wrong(e.to_string()))?;
    if amount <= Money::ZERO || amount > MOST_PAID_IN || amount.raw() % 100 != 0 {
        return Err(wrong(format!(
            "{amount} cannot be paid in; write whole cents from 0.01 to {}",
            MOST_PAID_IN.grouped()
        ))
        .into());
    }
    app.command(move |desk| desk.deposit(amount)).await?;
    Ok(StatusCode::NO_CONTENT)
}

/// The margin of a structure, by part, and as strikes or the market move.
#[utoipa::path(
    post,
    path = "/margin",
    tag = "evaluate",
    request_body = EvaluateRequest,
    responses(
        (status = 200, body = MarginSheet),
        (status = 404, body = Problem),
        (status = 422, body = Problem),
    ),
)]
async fn margin_sheet(
    State(app): State<AppState>,
    Body(request): Body<EvaluateRequest>,
) -> Result<Json<MarginSheet>, Problem> {
    let sheet = app.read(move |state, quoter| {
        let structure = holding(&request.legs)?;
        trading::check_legs(state, &request.symbol, &structure.unit())?;
        let entry = entry(
            &request.entry,
            &structure.unit(),
            underlying_of(state, &request.symbol)?.style_of_price,
        )?;
        let proposal = Proposal {
            structure,
            entry,
            realised: desk::Money::ZERO,
            range: None,
            closing: request.closes.is_some() && !request.rolls,
        };
        sheet::sheet(state, quoter, &request.symbol, &proposal)
    });
    Ok(Json(sheet.await??))
}

pub(crate) fn router() -> OpenApiRouter<AppState> {
    OpenApiRouter::new()
        .routes(routes!(balance))
        .routes(routes!(set_account_rules))
        .routes(routes!(deposit))
        .routes(routes!(margin_sheet))
        .merge(book::router())
        .merge(bands::router())
        .merge(chances::router())
        .merge(mend::router())
        .merge(explained::router())
        .merge(papers::router())
}
