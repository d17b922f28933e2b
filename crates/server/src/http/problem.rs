//! Every refusal as an answer: status, stable code and a sentence that says what would be right.

use axum::extract::rejection::JsonRejection;
use axum::extract::{FromRequest, FromRequestParts, Request};
use axum::http::StatusCode;
use axum::http::request::Parts;
use axum::response::{IntoResponse, Response};
use desk::OrderError;
use serde::Serialize;
use serde::de::DeserializeOwned;
use store::Hindrance;
use utoipa::ToSchema;

use crate::app::handle::Unserved;
use crate::app::refusal::Refusal;

/// What went wrong.
#[derive(Debug, Clone, Serialize, ToSchema)]
pub struct Problem {
    /// Stable word for programs.
    pub code: String,
    /// Sentence for people.
    pub message: String,
    /// The status of the response, as HTTP counts it.
    #[serde(skip)]
    pub status: u16,
}

impl Problem {
    pub(crate) fn new(status: StatusCode, code: &str, message: impl Into<String>) -> Problem {
        Problem {
            code: code.into(),
            message: message.into(),
            status: status.as_u16(),
        }
    }
}

impl From<Refusal> for Problem {
    fn from(r: Refusal) -> Problem {
        use StatusCode as S;
        let (status, code) = match &r {
            Refusal::Order(e) => (S::UNPROCESSABLE_ENTITY, order_code(e)),
            Refusal::Evaluation(desk::EvaluationError::Order(e)) => {
                (S::UNPROCESSABLE_ENTITY, order_code(e))
            }
            Refusal::Evaluation(_) => (S::UNPROCESSABLE_ENTITY, "not_priced"),
            Refusal::Listing(_) => (S::UNPROCESSABLE_ENTITY, "not_listed"),
            Refusal::Symbol(_) => (S::UNPROCESSABLE_ENTITY, "bad_contract"),
            Refusal::Package(_) => (S::UNPROCESSABLE_ENTITY, "bad_legs"),
            Refusal::OtherUnderlying(..) | Refusal::NotTradable(_) | Refusal::NotListed(_) => {
                (S::UNPROCESSABLE_ENTITY, "bad_legs")
            }
            Refusal::UnknownSymbol(..) => (S::NOT_FOUND, "unknown_symbol"),
            Refusal::Duplicate(_) => (S::CONFLICT, "duplicate"),
            Refusal::NoOrder(_) => (S::NOT_FOUND, "unknown_order"),
            Refusal::NoBell(_) => (S::NOT_FOUND, "unknown_bell"),
            Refusal::NoRule(_) => (S::NOT_FOUND, "unknown_rule"),
            Refusal::NoOwnDate(_) => (S::NOT_FOUND, "unknown_date"),
            Refusal::NoCampaign(_) => (S::NOT_FOUND, "unknown_position"),
            Refusal::TooMany { .. } => (S::UNPROCESSABLE_ENTITY, "too_many"),
            Refusal::Field { .. } => (S::UNPROCESSABLE_ENTITY, "bad_field"),
            Refusal::NoQuote(_) => (S::UNPROCESSABLE_ENTITY, "no_quote"),
            Refusal::ReadOnly(_) => (S::CONFLICT, "read_only"),
            Refusal::Inconsistent(_) => (S::INTERNAL_SERVER_ERROR, "books"),
        };
        Problem::new(status, code, r.to_string())
    }
}

fn order_code(e: &OrderError) -> &'static str {
    match e {
        OrderError::Quantity { .. } => "bad_quantity",
        OrderError::OffTick { .. } => "off_tick",
        OrderError::Absurd { .. } => "absurd_price",
        OrderError::PastExpiration { .. } => "expired",
        OrderError::NoBid(_) => "no_bid",
        OrderError::BuyingPower { .. } => "buying_power",
        OrderError::Deficit(_) => "deficit",
        OrderError::Level { .. } => "level",
        OrderError::DayTrades { .. } => "day_trades",
        OrderError::FewerThanFilled { .. } => "fewer_than_filled",
        OrderError::Bound { .. } => "bound",
        OrderError::Easing(_) => "bad_easing",
        OrderError::TriggersAtOnce { .. } => "triggers_at_once",
        OrderError::TrailingDistance(_) => "trailing_distance",
        OrderError::LastDay { .. } => "last_day",
        OrderError::ClosedForAtOnce => "closed_for_at_once",
        OrderError::NotWorking { .. } => "not_working",
        OrderError::NoLimit(_) => "no_limit",
        OrderError::MoreThanHeld { .. } => "more_than_held",
    }
}

impl From<Unserved> for Problem {
    fn from(e: Unserved) -> Problem {
        use StatusCode as S;
        let (status, code) = match &e {
            Unserved::Closed => (S::SERVICE_UNAVAILABLE, "closing"),
            Unserved::Unkept(unkept) => match unkept.hindrance {
                Hindrance::Full => (S::INSUFFICIENT_STORAGE, "disk_full"),
                Hindrance::Locked => (S::SERVICE_UNAVAILABLE, "file_locked"),
                Hindrance::Other => (S::SERVICE_UNAVAILABLE, "not_kept"),
            },
        };
        Problem::new(status, code, e.to_string())
    }
}

impl IntoResponse for Problem {
    fn into_response(self) -> Response {
        let status = StatusCode::from_u16(self.status).unwrap_or(StatusCode::BAD_REQUEST);
        (status, axum::Json(self)).into_response()
    }
}

/// A JSON body that answers in our own words when it cannot be read.
pub struct Body<T>(pub T);

impl<T: DeserializeOwned, S: Send + Sync> FromRequest<S> for Body<T> {
    type Rejection = Problem;

    async fn from_request(request: Request, state: &S) -> Result<Self, Problem> {
        match axum::Json::<T>::from_request(request, state).await {
            Ok(axum::Json(value)) => Ok(Body(value)),
            Err(JsonRejection::JsonDataError(e)) => Err(Problem::new(
                StatusCode::UNPROCESSABLE_ENTITY,
                "bad_body",
                e.body_text(),
            )),
            Err(JsonRejection::JsonSyntaxError(e)) => Err(Problem::new(
                StatusCode::BAD_REQUEST,
                "bad_json",
                e.body_text(),
            )),
            Err(e) => Err(Problem::new(e.status(), "bad_request", e.body_text())),
        }
    }
}

/// A part of the address that answers in our own words when it cannot be read.
pub struct Path<T>(pub T);

impl<T: DeserializeOwned + Send, S: Send + Sync> FromRequestParts<S> for Path<T> {
    type Rejection = Problem;

    async fn from_request_parts(parts: &mut Parts, state: &S) -> Result<Self, Problem> {
        match axum::extract::Path::from_request_parts(parts, state).await {
            Ok(axum::extract::Path(value)) => Ok(Path(value)),
            Err(e) => Err(Problem::new(e.status(), "bad_address", e.body_text())),
        }
    }
}

/// Parameters behind the address, likewise.
pub struct Query<T>(pub T);

impl<T: DeserializeOwned, S: Send + Sync> FromRequestParts<S> for Query<T> {
    type Rejection = Problem;

    async fn from_request_parts(parts: &mut Parts, state: &S) -> Result<Self, Problem> {
        match axum::extract::Query::from_request_parts(parts, state).await {
            Ok(axum::extract::Query(value)) => Ok(Query(value)),
            Err(e) => Err(Problem::new(e.status(), "bad_query", e.body_text())),
        }
    }
}
