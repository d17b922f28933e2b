//! The trader's own rules: asked for, never filled in by the program.

use axum::Json;
use axum::extract::State;
use axum::http::StatusCode;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use crate::app::refusal::Refusal;
use crate::http::AppState;
use crate::http::problem::{Body, Problem};

/// The rules.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase", deny_unknown_fields)]
pub struct RulesWire {
    /// Most percent of the account that one trade may lose; absent: no such rule.
    pub risk_percent: Option<f64>,
}

/// The rules as they are.
#[utoipa::path(get, path = "/rules", tag = "account", responses((status = 200, body = RulesWire)))]
async fn rules(State(app): State<AppState>) -> Json<RulesWire> {
    Json(RulesWire {
        risk_percent: app.desk.snapshot().risk_percent,
    })
}

/// Replaces the rules.
#[utoipa::path(
    put,
    path = "/rules",
    tag = "account",
    request_body = RulesWire,
    responses((status = 204), (status = 422, body = Problem)),
)]
async fn set_rules(
    State(app): State<AppState>,
    Body(rules): Body<RulesWire>,
) -> Result<StatusCode, Problem> {
    if let Some(p) = rules.risk_percent.filter(|p| !(*p > 0.0 && *p <= 100.0)) {
        return Err(Refusal::Field {
            field: "riskPercent",
            message: format!("{p} is not a share of the account; write above 0, at most 100"),
        }
        .into());
    }
    app.command(move |desk| desk.set_risk_rule(rules.risk_percent))
        .await?;
    Ok(StatusCode::NO_CONTENT)
}

pub(crate) fn router() -> OpenApiRouter<AppState> {
    OpenApiRouter::new().routes(routes!(rules, set_rules))
}
