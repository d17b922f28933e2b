//! My rules: the trader's own, asked for, never filled in by the program.

use axum::Json;
use axum::extract::State;
use axum::http::StatusCode;
use desk::rules::{Condition, MEASURES, Measure, Rule, Scope};
use engine::State as DeskState;
use serde::{Deserialize, Serialize};
use studies::tried::tried;
use utoipa::ToSchema;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use crate::api::wire::words::{GroupWord, SideWord, StructureWord, SubjectWord, UnitWord};
use crate::api::wire::{moment, money};
use crate::app::refusal::Refusal;
use crate::http::AppState;
use crate::http::problem::{Body, Path, Problem};

/// Whom a rule is for.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(tag = "for", rename_all = "lowercase", deny_unknown_fields)]
pub(crate) enum ScopeWire {
    /// Every campaign, every new trade, or the account.
    All,
    /// One kind of structure.
    Structure {
        /// The structure that it holds for.
        structure: StructureWord,
    },
    /// Campaigns on one underlying.
    Symbol {
        /// The symbol of the underlying.
        symbol: String,
    },
    /// The campaign of one number.
    Campaign {
        /// The number of the campaign.
        campaign: u64,
    },
}

/// A rule as it is written down, in files too.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct RuleWire {
    /// Whom it is for.
    scope: ScopeWire,
    /// What it looks at: the word of a measure.
    #[schema(example = "profit_of_max")]
    measure: String,
    /// On which side of the limit it rings.
    side: SideWord,
    /// The limit as decimal text, in the unit of the measure.
    #[schema(example = "65")]
    limit: String,
    /// It rings again once the figure has gone back by so much; absent: only once for a campaign.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    again: Option<String>,
    /// It is in force.
    #[serde(default = "yes")]
    on: bool,
}

fn yes() -> bool {
    true
}

/// Rules as a file.
#[derive(Debug, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct RulesFile {
    /// The rules, in their order.
    rules: Vec<RuleWire>,
}

/// A rule as it stands.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
struct RuleShown {
    /// The number by which it is named.
    id: u64,
    /// The rule as it can be changed.
    rule: RuleWire,
    /// It as a sentence.
    sentence: String,
    /// Where it stands in the form.
    group: GroupWord,
    /// Campaigns for which it stands now; 0 stands for the account.
    stands: Vec<u64>,
}

/// A measure that rules can be about.
#[derive(Debug, Serialize, ToSchema)]
struct MeasureWire {
    /// Its word in rules.
    measure: String,
    /// What it is, as a noun.
    noun: String,
    /// What it is of.
    subject: SubjectWord,
    /// Where it stands in the form.
    group: GroupWord,
    /// What its limit is counted in.
    unit: UnitWord,
    /// On which sides it can ring, the usual one first.
    sides: Vec<SideWord>,
}

/// The rules, and what rules can be about.
#[derive(Debug, Serialize, ToSchema)]
struct RulesView {
    /// The rules, by number.
    rules: Vec<RuleShown>,
    /// All measures that a rule may look at.
    measures: Vec<MeasureWire>,
}

/// A campaign that a rule would have rung for.
#[derive(Debug, Serialize, ToSchema)]
struct TriedCaseWire {
    /// The number of the closed campaign.
    campaign: u64,
    /// What it went by.
    title: String,
    /// The first close at which it would have rung.
    at: String,
    /// Profit of the campaign then.
    then: Option<String>,
    /// Profit that was taken in the end.
    end: String,
}

/// What a rule would have done with the campaigns that are closed.
#[derive(Debug, Serialize, ToSchema)]
struct TriedWire {
    /// Closed campaigns that it would have counted for.
    of: usize,
    /// Those that it would have rung for.
    cases: Vec<TriedCaseWire>,
    /// Sum of the profits when it rang, over those where it is known, and of what was taken in the
    /// end of the same.
    then: String,
    /// What the same campaigns made in the end, in money.
    end: String,
}

/// A decimal of a field.
pub(crate) fn decimal(field: &'static str, text: &str) -> Result<desk::Decimal, Refusal> {
    text.parse().map_err(|e: desk::NumberError| Refusal::Field {
        field,
        message: e.to_string(),
    })
}

/// A measure by its word.
pub(crate) fn measure_of(word: &str) -> Result<Measure, Refusal> {
    Measure::of_word(word).ok_or_else(|| {
        let known: Vec<&str> = MEASURES.iter().map(|m| m.word).collect();
        Refusal::Field {
            field: "measure",
            message: format!(
                "{:?} is no measure; known: {}",
                word.chars().take(40).collect::<String>(),
                known.join(", ")
            ),
        }
    })
}

impl RuleWire {
    fn of(rule: &Rule) -> RuleWire {
        RuleWire {
            scope: match &rule.scope {
                Scope::All => ScopeWire::All,
                Scope::Structure(s) => ScopeWire::Structure {
                    structure: (*s).into(),
                },
                Scope::Symbol(s) => ScopeWire::Symbol { symbol: s.clone() },
                Scope::Campaign(id) => ScopeWire::Campaign { campaign: *id },
            },
            measure: rule.condition.measure.facts().word.into(),
            side: rule.condition.side.into(),
            limit: rule.condition.limit.to_string(),
            again: rule.again.map(|by| by.to_string()),
            on: rule.on,
        }
    }

    fn parse(self) -> Result<Rule, Refusal> {
        Ok(Rule {
            id: 0,
            scope: match self.scope {
                ScopeWire::All => Scope::All,
                ScopeWire::Structure { structure } => Scope::Structure(structure.into()),
                ScopeWire::Symbol { symbol } => Scope::Symbol(symbol),
                ScopeWire::Campaign { campaign } => Scope::Campaign(campaign),
            },
            condition: Condition {
                measure: measure_of(&self.measure)?,
                side: self.side.into(),
                limit: decimal("limit", &self.limit)?,
            },
            again: self.again.map(|by| decimal("again", &by)).transpose()?,
            on: self.on,
        })
    }
}

pub(crate) fn title_of(state: &DeskState, id: u64) -> Option<String> {
    let c = state.account.campaign(id)?;
    let u = state.world.underlying(&c.symbol)?;
    Some(format!("{} {}", c.symbol, state.account.title(c.id, u)?))
}

fn shown(state: &DeskState, rule: &Rule) -> RuleShown {
    let stands = state.standing.iter();
    RuleShown {
        id: rule.id,
        rule: RuleWire::of(rule),
        sentence: rule.sentence(|id| title_of(state, id)),
        group: rule.condition.measure.facts().group.into(),
        stands: stands
            .filter(|((id, _), s)| *id == rule.id && s.holds)
            .map(|((_, campaign), _)| campaign.unwrap_or(0))
            .collect(),
    }
}

/// The rules, and what rules can be about.
#[utoipa::path(get, path = "/rules", tag = "rules", responses((status = 200, body = RulesView)))]
async fn rules(State(app): State<AppState>) -> Json<RulesView> {
    let state = app.desk.snapshot();
    let measures = MEASURES.iter().map(|m| MeasureWire {
        measure: m.word.into(),
        noun: m.noun.into(),
        subject: m.subject.into(),
        group: m.group.into(),
        unit: m.unit.into(),
        sides: m.sides.iter().map(|s| (*s).into()).collect(),
    });
    Json(RulesView {
        rules: state.my_rules.iter().map(|r| shown(&state, r)).collect(),
        measures: measures.collect(),
    })
}

/// Adds a rule.
#[utoipa::path(
    post,
    path = "/rules",
    tag = "rules",
    request_body = RuleWire,
    responses(
        (status = 201, body = RuleShown),
        (status = 404, body = Problem),
        (status = 422, body = Problem),
    ),
)]
async fn add_rule(
    State(app): State<AppState>,
    Body(rule): Body<RuleWire>,
) -> Result<(StatusCode, Json<RuleShown>), Problem> {
    let rule = rule.parse()?;
    let kept = app.command(move |desk| desk.set_rule(None, rule)).await?;
    Ok((
        StatusCode::CREATED,
        Json(shown(&app.desk.snapshot(), &kept)),
    ))
}

/// Replaces a rule.
#[utoipa::path(
    put,
    path = "/rules/{id}",
    tag = "rules",
    params(("id" = u64, Path)),
    request_body = RuleWire,
    responses(
        (status = 200, body = RuleShown),
        (status = 404, body = Problem),
        (status = 422, body = Problem),
    ),
)]
async fn change_rule(
    State(app): State<AppState>,
    Path(id): Path<u64>,
    Body(rule): Body<RuleWire>,
) -> Result<Json<RuleShown>, Problem> {
    let rule = rule.parse()?;
    let known = app.desk.snapshot().my_rules.iter().any(|r| r.id == id);
    if !known {
        return Err(Refusal::NoRule(id).into());
    }
    let kept = app
        .command(move |desk| desk.set_rule(Some(id), rule))
        .await?;
    Ok(Json(shown(&app.desk.snapshot(), &kept)))
}

/// Throws a rule away; what it rang is answered.
#[utoipa::path(
    delete,
    path = "/rules/{id}",
    tag = "rules",
    params(("id" = u64, Path)),
    responses((status = 204), (status = 404, body = Problem)),
)]
async fn remove_rule(
    State(app): State<AppState>,
    Path(id): Path<u64>,
) -> Result<StatusCode, Problem> {
    app.command(move |desk| desk.remove_rule(id)).await?;
    Ok(StatusCode::NO_CONTENT)
}

/// The rules as a file.
#[utoipa::path(
    get,
    path = "/rules/file",
    tag = "rules",
    responses((status = 200, body = RulesFile)),
)]
async fn rules_file(State(app): State<AppState>) -> Json<RulesFile> {
    let state = app.desk.snapshot();
    Json(RulesFile {
        rules: state.my_rules.iter().map(RuleWire::of).collect(),
    })
}

/// Puts the rules of a file in the place of all.
#[utoipa::path(
    put,
    path = "/rules/file",
    tag = "rules",
    request_body = RulesFile,
    responses(
        (status = 204),
        (status = 404, body = Problem),
        (status = 422, body = Problem),
    ),
)]
async fn replace_rules(
    State(app): State<AppState>,
    Body(file): Body<RulesFile>,
) -> Result<StatusCode, Problem> {
    let read = file.rules.into_iter().enumerate().map(|(place, rule)| {
        rule.parse().map_err(|e| Refusal::Field {
            field: "rules",
            message: format!("rule {}: {e}", place + 1),
        })
    });
    let rules = read.collect::<Result<Vec<_>, _>>()?;
    app.command(move |desk| desk.replace_rules(rules)).await?;
    Ok(StatusCode::NO_CONTENT)
}

/// What a rule would have done with the campaigns of this account that are closed, looked at each
/// close of their lives.
#[utoipa::path(
    post,
    path = "/rules/tried",
    tag = "rules",
    request_body = RuleWire,
    responses((status = 200, body = TriedWire), (status = 422, body = Problem)),
)]
async fn try_rule(
    State(app): State<AppState>,
    Body(rule): Body<RuleWire>,
) -> Result<Json<TriedWire>, Problem> {
    let rule = rule.parse()?;
    let told = app.read(move |state, quoter| {
        let found = tried(state, quoter, &rule)?;
        let both: Vec<(desk::Money, desk::Money)> = found
            .cases
            .iter()
            .filter_map(|c| Some((c.then?, c.end)))
            .collect();
        Ok::<_, Refusal>(TriedWire {
            of: found.of,
            then: money(both.iter().map(|(then, _)| *then).sum()),
            end: money(both.iter().map(|(_, end)| *end).sum()),
            cases: found
                .cases
                .into_iter()
                .map(|c| TriedCaseWire {
                    title: title_of(state, c.campaign).unwrap_or_default(),
                    campaign: c.campaign,
                    at: moment(c.at),
                    then: c.then.map(money),
                    end: money(c.end),
                })
                .collect(),
        })
    });
    Ok(Json(told.await??))
}

pub(crate) fn router() -> OpenApiRouter<AppState> {
    OpenApiRouter::new()
        .routes(routes!(rules, add_rule))
        .routes(routes!(rules_file, replace_rules))
        .routes(routes!(try_rule))
        .routes(routes!(change_rule, remove_rule))
}
