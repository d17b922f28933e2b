//! Lessons: what closed campaigns say, by division; the road not taken; a word afterwards.

use std::sync::{Arc, Mutex, PoisonError};

use axum::Json;
use axum::extract::State;
use axum::http::{StatusCode, header};
use axum::response::{IntoResponse, Response};
use desk::rules::{Condition, Rule};
use desk::{Decimal, Said, SaidOf};
use engine::State as DeskState;
use jiff::civil::Date;
use serde::{Deserialize, Serialize};
use studies::lessons::{
    CampaignRoads, Division, Learnt, LearntPart, RoadSummary, divided, learnt, roads,
};
use utoipa::{IntoParams, ToSchema};
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use crate::api::drills::{SummaryWire, summary};
use crate::api::streamed::in_background;
use crate::api::wire::words::{SideWord, StructureWord};
use crate::api::wire::{moment, money};
use crate::app::refusal::Refusal;
use crate::http::AppState;
use crate::http::problem::{Body, Path, Problem, Query};
use crate::interchange::lessons::{lessons_csv, lessons_html};

/// What was worked out last: closed campaigns never change.
#[derive(Default)]
pub(crate) struct LessonsDesk(Mutex<Option<Known>>);

#[derive(Clone)]
struct Known {
    entries: usize,
    today: Date,
    rules: Arc<Vec<Rule>>,
    said: Arc<std::collections::BTreeMap<SaidOf, Said>>,
    learnt: Arc<Vec<Learnt>>,
    roads: Arc<(Vec<RoadSummary>, Vec<CampaignRoads>)>,
}

impl LessonsDesk {
    fn known(&self, state: &DeskState) -> Option<Known> {
        // A panic elsewhere leaves what is known as good as it was.
        let kept = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        let same = |k: &&Known| {
            k.entries == state.account.entries().len()
                && k.today == state.clock.now.date()
                && Arc::ptr_eq(&k.rules, &state.my_rules)
                && Arc::ptr_eq(&k.said, &state.said)
        };
        kept.as_ref().filter(same).cloned()
    }

    fn work(&self, state: &DeskState) -> Known {
        if let Some(known) = self.known(state) {
            return known;
        }
        let known = in_background(|| Known {
            entries: state.account.entries().len(),
            today: state.clock.now.date(),
            rules: state.my_rules.clone(),
            said: state.said.clone(),
            learnt: Arc::new(learnt(state)),
            roads: Arc::new(roads(state, None)),
        });
        *self.0.lock().unwrap_or_else(PoisonError::into_inner) = Some(known.clone());
        known
    }
}

/// Fewer closed campaigns than this say little.
const FEW: usize = 12;

/// What the closed campaigns have to say in one sentence: where a rule of mine did clearly better, or
/// worse, than what was done by hand. Nothing where that is not clear.
fn sentence(known: &Known) -> Option<String> {
    let clear = |r: &&RoadSummary| {
        let apart = r.interval.is_some_and(|i| i.low > 0.0 || i.high < 0.0);
        r.road.rule.is_some() && r.count >= FEW && apart
    };
    let size = |r: &RoadSummary| r.mean.unwrap_or_default().abs();
    let most = known.roads.0.iter().filter(clear);
    let one = most.max_by(|a, b| size(a).total_cmp(&size(b)))?;
    let mean = one.mean?;
    let way = if mean < 0.0 { "less" } else { "more" };
    Some(format!(
        "Over {} closed campaigns you made {:.2} a trade {way} than your rule to {} would have made from \
         the openings.",
        one.count,
        mean.abs(),
        one.road.name
    ))
}

/// The sentence for rounds, where it is known; where it is not, it is worked out for the next time.
pub(crate) fn said_in_rounds(app: &AppState, state: &DeskState) -> Option<String> {
    if let Some(known) = app.lessons.known(state) {
        return sentence(&known);
    }
    let (app, state) = (app.clone(), state.clone());
    tokio::task::spawn_blocking(move || {
        app.lessons.work(&state);
    });
    None
}

/// A closed campaign.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
struct LearntWire {
    /// The number of the closed campaign.
    campaign: u64,
    symbol: String,
    sector: Option<String>,
    /// What was opened.
    structure: StructureWord,
    title: String,
    tags: Vec<String>,
    opened: String,
    closed: String,
    days: i64,
    /// Days to the first expiration at the opening.
    days_left: Option<i64>,
    /// Rank of volatility at the opening.
    rank: Option<f64>,
    /// Profit after fees.
    profit: String,
    /// At risk at the opening.
    capital: String,
    /// Best and worst at the closes on the way.
    best: String,
    worst: String,
    /// The rule of mine that rang as it was closed.
    rule: Option<String>,
    /// It ended by itself.
    by_itself: bool,
    /// A word that was said afterwards.
    after: String,
}

/// What closed campaigns are divided by.
#[derive(Debug, Clone, Copy, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
enum DivisionWord {
    Structure,
    Symbol,
    Sector,
    Tag,
    Drill,
    Rule,
    DaysLeft,
    Rank,
    Held,
    Size,
    Weekday,
}

impl From<Division> for DivisionWord {
    fn from(d: Division) -> DivisionWord {
        match d {
            Division::Structure => DivisionWord::Structure,
            Division::Symbol => DivisionWord::Symbol,
            Division::Sector => DivisionWord::Sector,
            Division::Tag => DivisionWord::Tag,
            Division::Drill => DivisionWord::Drill,
            Division::Rule => DivisionWord::Rule,
            Division::DaysLeft => DivisionWord::DaysLeft,
            Division::Rank => DivisionWord::Rank,
            Division::Held => DivisionWord::Held,
            Division::Size => DivisionWord::Size,
            Division::Weekday => DivisionWord::Weekday,
        }
    }
}

/// Campaigns of one part.
#[derive(Debug, Serialize, ToSchema)]
struct LearntPartWire {
    /// The value that its campaigns share, in words.
    part: String,
    /// Numbers of the campaigns.
    campaigns: Vec<u64>,
    /// Those campaigns summed up together.
    summary: SummaryWire,
    /// Of those that made money, the part of the best on the way that was taken.
    taken: Option<f64>,
}

/// All closed campaigns, split by one of their properties.
#[derive(Debug, Serialize, ToSchema)]
struct LearntDivision {
    /// The property that they are split by.
    by: DivisionWord,
    /// One sum for each of its values.
    parts: Vec<LearntPartWire>,
}

/// What closed campaigns say.
#[derive(Debug, Serialize, ToSchema)]
struct LessonsView {
    /// The moment of the figures, with its offset.
    at: String,
    /// All closed campaigns together.
    all: LearntPartWire,
    /// By division; those with nothing to divide are left out.
    divisions: Vec<LearntDivision>,
    /// Each, in the order they ended.
    campaigns: Vec<LearntWire>,
    /// They are so few that they say little.
    few: bool,
    /// What they say in one sentence, where something is clear.
    sentence: Option<String>,
}

/// One road over all campaigns that it applies to.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
struct RoadWire {
    /// What would have been done, in words.
    name: String,
    /// The rule, where it is one of mine.
    rule: Option<u64>,
    /// Over so many campaigns.
    count: usize,
    /// What they made.
    made: String,
    /// What the road would have made.
    would: String,
    /// How many did better by hand.
    better: usize,
    /// Mean of what was made by hand above the road, and its interval (95 %).
    mean: Option<f64>,
    mean_low: Option<f64>,
    mean_high: Option<f64>,
}

/// What a road would have made of a campaign.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
struct RoadTakenWire {
    profit: String,
    left: String,
    /// It would be open still.
    so_far: bool,
}

/// A campaign and the roads not taken.
#[derive(Debug, Serialize, ToSchema)]
struct CampaignRoadsWire {
    campaign: u64,
    /// What it made.
    made: String,
    /// By the places of the roads; absent where one does not apply.
    roads: Vec<Option<RoadTakenWire>>,
}

/// The roads not taken.
#[derive(Debug, Serialize, ToSchema)]
struct RoadsView {
    /// Each road over all.
    roads: Vec<RoadWire>,
    /// Each campaign, with what each road would have made of it.
    campaigns: Vec<CampaignRoadsWire>,
}

/// A rule that is asked about.
#[derive(Debug, Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
#[serde(deny_unknown_fields)]
struct AskedRule {
    /// The word of a measure of campaigns.
    #[serde(default)]
    measure: Option<String>,
    /// On which side of the limit it rings.
    #[serde(default)]
    side: Option<SideWord>,
    /// The limit of the measure, as text with its unit left out.
    #[serde(default)]
    limit: Option<String>,
}

/// What is said of an order, or of a campaign afterwards.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
struct SaidRequest {
    /// A sentence; nothing at all after a campaign means that nothing shall be said.
    #[serde(default)]
    words: String,
    /// The tags that the trader gives.
    #[serde(default)]
    tags: Vec<String>,
}

fn part(p: &LearntPart) -> LearntPartWire {
    LearntPartWire {
        part: p.part.clone(),
        campaigns: p.campaigns.clone(),
        summary: summary(&p.summary),
        taken: p.taken,
    }
}

fn after(state: &DeskState, campaign: u64) -> String {
    let said = state.said.get(&SaidOf::After(campaign));
    said.map(|s| s.words.clone()).unwrap_or_default()
}

fn one(state: &DeskState, l: &Learnt) -> LearntWire {
    LearntWire {
        campaign: l.campaign,
        symbol: l.symbol.clone(),
        sector: l.sector.clone(),
        structure: l.structure.into(),
        title: l.title.clone(),
        tags: l.tags.clone(),
        opened: moment(l.opened),
        closed: moment(l.closed),
        days: l.days(),
        days_left: l.days_left,
        rank: l.rank,
        profit: money(l.profit),
        capital: money(l.capital),
        best: money(l.best),
        worst: money(l.worst),
        rule: l.rule.as_ref().map(|(_, says)| format!("it {says}")),
        by_itself: l.by_itself,
        after: after(state, l.campaign),
    }
}

/// What closed campaigns say.
#[utoipa::path(get, path = "/lessons", tag = "lessons", responses((status = 200, body = LessonsView)))]
async fn lessons(State(app): State<AppState>) -> Result<Json<LessonsView>, Problem> {
    let desk = app.lessons.clone();
    let view = app.read(move |state, _| {
        let known = desk.work(state);
        let all = &known.learnt;
        let divisions = Division::ALL.into_iter().map(|by| LearntDivision {
            by: by.into(),
            parts: divided(all, Some(by)).iter().map(part).collect(),
        });
        LessonsView {
            at: moment(state.clock.now),
            all: divided(all, None)
                .first()
                .map_or_else(|| part(&EMPTY), part),
            divisions: divisions.filter(|d| !d.parts.is_empty()).collect(),
            campaigns: all.iter().map(|l| one(state, l)).collect(),
            few: all.len() < FEW,
            sentence: sentence(&known),
        }
    });
    Ok(Json(view.await?))
}

static EMPTY: std::sync::LazyLock<LearntPart> = std::sync::LazyLock::new(|| LearntPart {
    part: "all".into(),
    campaigns: Vec::new(),
    summary: plans::drill::DrillSummary::default(),
    taken: None,
});

/// What my rules, one that is asked about, and holding to the end would have made of closed campaigns.
#[utoipa::path(
    get,
    path = "/lessons/roads",
    tag = "lessons",
    params(AskedRule),
    responses((status = 200, body = RoadsView), (status = 422, body = Problem)),
)]
async fn roads_not_taken(
    State(app): State<AppState>,
    Query(asked): Query<AskedRule>,
) -> Result<Json<RoadsView>, Problem> {
    let condition = asked.condition()?;
    let desk = app.lessons.clone();
    let view = app.read(move |state, _| match condition {
        None => roads_view(&desk.work(state).roads),
        Some(c) => roads_view(&in_background(|| roads(state, Some(c)))),
    });
    Ok(Json(view.await?))
}

fn roads_view((all, each): &(Vec<RoadSummary>, Vec<CampaignRoads>)) -> RoadsView {
    let road = |r: &RoadSummary| RoadWire {
        name: r.road.name.clone(),
        rule: r.road.rule,
        count: r.count,
        made: money(r.made),
        would: money(r.would),
        better: r.better,
        mean: r.mean,
        mean_low: r.interval.map(|i| i.low),
        mean_high: r.interval.map(|i| i.high),
    };
    let campaign = |c: &CampaignRoads| CampaignRoadsWire {
        campaign: c.campaign,
        made: money(c.made),
        roads: c
            .roads
            .iter()
            .map(|r| {
                r.map(|r| RoadTakenWire {
                    profit: money(r.profit),
                    left: moment(r.left),
                    so_far: r.so_far,
                })
            })
            .collect(),
    };
    RoadsView {
        roads: all.iter().map(road).collect(),
        campaigns: each.iter().map(campaign).collect(),
    }
}

impl AskedRule {
    fn condition(&self) -> Result<Option<Condition>, Refusal> {
        let wrong = |field: &'static str, message: String| Refusal::Field { field, message };
        let (Some(word), Some(limit)) = (&self.measure, &self.limit) else {
            return Ok(None);
        };
        let measure = desk::rules::Measure::of_word(word)
            .filter(|m| m.facts().subject == desk::rules::Subject::Campaign)
            .ok_or_else(|| wrong("measure", format!("{word:?} is no measure of campaigns")))?;
        let limit: Decimal = limit
            .parse()
            .map_err(|e: desk::NumberError| wrong("limit", e.to_string()))?;
        let side = self.side.map_or(measure.facts().sides[0], Into::into);
        let condition = Condition {
            measure,
            side,
            limit,
        };
        condition.check().map_err(|e| wrong("limit", e))?;
        Ok(Some(condition))
    }
}

fn file(kind: &'static str, name: &'static str, body: String) -> Response {
    let named = format!("attachment; filename=\"{name}\"");
    (
        [
            (header::CONTENT_TYPE, kind.to_owned()),
            (header::CONTENT_DISPOSITION, named),
        ],
        body,
    )
        .into_response()
}

/// Closed campaigns as CSV (RFC 4180).
#[utoipa::path(get, path = "/lessons.csv", tag = "lessons",
    responses((status = 200, content_type = "text/csv", body = String)))]
async fn lessons_as_csv(State(app): State<AppState>) -> Result<Response, Problem> {
    let desk = app.lessons.clone();
    let text = app.read(move |state, _| lessons_csv(state, &desk.work(state).learnt));
    Ok(file("text/csv; charset=utf-8", "lessons.csv", text.await?))
}

/// What closed campaigns say, as a page that stands by itself.
#[utoipa::path(get, path = "/lessons.html", tag = "lessons",
    responses((status = 200, content_type = "text/html", body = String)))]
async fn lessons_as_html(State(app): State<AppState>) -> Result<Response, Problem> {
    let desk = app.lessons.clone();
    let text = app.read(move |state, _| {
        let known = desk.work(state);
        lessons_html(state, &known.learnt, &known.roads.0)
    });
    Ok(file(
        "text/html; charset=utf-8",
        "lessons.html",
        text.await?,
    ))
}

/// Keeps a word after a campaign that is closed.
#[utoipa::path(
    put,
    path = "/campaigns/{id}/afterword",
    tag = "lessons",
    params(("id" = u64, Path)),
    request_body = SaidRequest,
    responses((status = 204), (status = 422, body = Problem)),
)]
async fn say_after(
    State(app): State<AppState>,
    Path(id): Path<u64>,
    Body(request): Body<SaidRequest>,
) -> Result<StatusCode, Problem> {
    let said = Said::new(&request.words, request.tags).map_err(|message| Refusal::Field {
        field: "words",
        message,
    })?;
    app.command(move |desk| desk.say(SaidOf::After(id), said))
        .await?;
    Ok(StatusCode::NO_CONTENT)
}

pub(crate) fn router() -> OpenApiRouter<AppState> {
    OpenApiRouter::new()
        .routes(routes!(lessons))
        .routes(routes!(roads_not_taken))
        .routes(routes!(lessons_as_csv))
        .routes(routes!(lessons_as_html))
        .routes(routes!(say_after))
}
