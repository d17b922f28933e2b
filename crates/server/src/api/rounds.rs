//! Rounds: what asks for a decision, what does not, and the answers.

use axum::Json;
use axum::extract::State;
use axum::http::StatusCode;
use desk::calendar::previous_session;
use desk::rounds::Reason;
use desk::rules::{AccountNeeds, Figure, Measure, Side, Subject, ruling};
use desk::{Answer, BellSide, Decision, EntryPrice, SaidOf, Structure, Until, short_date};
use engine::State as DeskState;
use engine::rounds::{Asks, Dated, Given, Quiet, Rounds, Since, rounds_of};
use engine::seen::account_seen;
use market::Quoter;
use serde::{Deserialize, Serialize};
use studies::lessons::closed;
use utoipa::ToSchema;
use utoipa_axum::router::OpenApiRouter;
use utoipa_axum::routes;

use crate::api::account::position::{Position, carried};
use crate::api::days::{DayWire, day_wire};
use crate::api::lessons::said_in_rounds;
use crate::api::orders::close::MarkWire;
use crate::api::rules::title_of;
use crate::api::wire::words::{DatedWord, FitsWord, SideWord};
use crate::api::wire::{date, moment, money, parse_price};
use crate::app::refusal::Refusal;
use crate::http::AppState;
use crate::http::problem::{Body, Problem};

/// Why something asks.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
struct ReasonWire {
    /// A name that stays while the reason does.
    key: String,
    /// The moment since which it asks, with its offset.
    since: String,
    /// The reason with its figures.
    says: String,
    /// What happens if nothing is done; empty where the reason says it.
    if_nothing: String,
    /// The answers that fit.
    fits: Vec<FitsWord>,
    /// The rule that rang.
    rule: Option<u64>,
    /// The order that waits.
    order: Option<u64>,
}

/// A campaign, or the account, that asks.
#[derive(Debug, Serialize, ToSchema)]
struct AskWire {
    /// The campaign; absent for the account.
    campaign: Option<u64>,
    /// What it goes by.
    title: String,
    /// What it holds; absent where it is closed.
    position: Option<Box<Position>>,
    /// Why, the most urgent first.
    reasons: Vec<ReasonWire>,
}

/// A campaign that does not ask.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
struct QuietWire {
    /// The number of the campaign that asks for nothing.
    campaign: u64,
    /// What it holds.
    position: Option<Box<Position>>,
    /// How near it is to its next reason, 1 where it is there.
    nearness: f64,
    /// That reason, in words.
    next: String,
    /// What changed in it since the close before; empty where nothing did.
    changed: String,
    /// An answer that keeps it quiet, in words.
    let_be: Option<String>,
}

/// A date ahead.
#[derive(Debug, Serialize, ToSchema)]
struct DateWire {
    /// The date of the event, as 2031-04-18.
    date: String,
    /// The date as it is shown, like "18 Apr".
    label: String,
    /// Calendar days until then.
    days: i64,
    /// What kind of date.
    kind: DatedWord,
    /// What happens, in words.
    what: String,
    /// The campaign it is about.
    campaign: Option<u64>,
    /// Its number, for a date of the trader's own.
    own: Option<u64>,
}

/// A figure of the account and the limits that the rules set it.
#[derive(Debug, Serialize, ToSchema)]
struct BandWire {
    /// The word of the measure.
    measure: String,
    /// What it is.
    noun: String,
    /// What is seen.
    seen: String,
    /// What it is largest in.
    which: Option<String>,
    /// It rings below this.
    below: Option<String>,
    /// It rings above this.
    above: Option<String>,
    /// It rings now.
    rings: bool,
}

/// Something that was decided.
#[derive(Debug, Serialize, ToSchema)]
pub(crate) struct DecisionWire {
    /// The number by which it is named.
    id: u64,
    /// The moment at which it was given, with its offset.
    at: String,
    /// The campaign; absent for the account.
    campaign: Option<u64>,
    /// What that goes by.
    title: String,
    /// What the reason said.
    says: String,
    /// The answer, in words.
    answer: String,
    /// The order that was sent for it.
    order: Option<u64>,
    /// What the trader wrote beside it.
    note: String,
}

/// What asks for an answer, what does not, and what lies ahead.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
struct RoundsView {
    /// The moment of the looks, with its offset.
    at: String,
    /// It in a sentence.
    headline: String,
    /// Who asks, the most urgent first.
    asks: Vec<AskWire>,
    /// The others, the nearest to asking first.
    quiet: Vec<QuietWire>,
    /// Dates of the next fourteen days.
    dates: Vec<DateWire>,
    /// Figures of the account against the trader's limits.
    bands: Vec<BandWire>,
    /// What was decided today, oldest first.
    decided: Vec<DecisionWire>,
    /// Since when things that happened are told.
    looked: String,
    /// The date of today, as 2031-03-11.
    today: String,
    /// What was noted of today.
    note: String,
    /// The row of the last close.
    last_close: Option<DayWire>,
    /// The row of the close before it.
    close_before: Option<DayWire>,
    /// What closed campaigns say, where something is clear.
    lesson: Option<String>,
    /// Campaigns that were closed lately and that no word was said of.
    over: Vec<OverWire>,
}

/// A campaign that is over and waits for a word.
#[derive(Debug, Serialize, ToSchema)]
struct OverWire {
    /// The number of the campaign that is over.
    campaign: u64,
    /// Symbol, and what it was called or opened as.
    title: String,
    /// When it ended.
    closed: String,
    /// What it made.
    profit: String,
}

/// Campaigns ask for a word so many days after their end, and so many at once.
const ASKED_FOR: i64 = 30;
const ASKED_AT_ONCE: usize = 4;

/// Closed campaigns that no word was said of, the last first.
fn over(state: &DeskState) -> Vec<OverWire> {
    let now = state.clock.now;
    let fresh = |at: desk::Moment| -now.days_until(at.date()) <= ASKED_FOR;
    let all = closed(state).into_iter().rev().filter_map(|c| {
        let last = c.chapters.last().filter(|ch| fresh(ch.at))?;
        if state.said.contains_key(&SaidOf::After(c.id)) {
            return None;
        }
        Some(OverWire {
            campaign: c.id,
            title: title_of(state, c.id)
                .unwrap_or_else(|| format!("{} campaign {}", c.symbol, c.id)),
            closed: moment(last.at),
            profit: money(c.totals.booked()),
        })
    });
    all.take(ASKED_AT_ONCE).collect()
}

const NUMBERS: [&str; 13] = [
    "None", "One", "Two", "Three", "Four", "Five", "Six", "Seven", "Eight", "Nine", "Ten",
    "Eleven", "Twelve",
];

/// A number as a sentence begins with it, and inside one.
fn number(n: usize) -> String {
    NUMBERS
        .get(n)
        .map_or_else(|| n.to_string(), |w| (*w).to_owned())
}

fn headline(state: &DeskState, r: &Rounds) -> String {
    let open = engine::campaigns::all_open(state).len();
    let of_campaigns = r
        .asks
        .iter()
        .filter(|a| {
            a.campaign
                .is_some_and(|id| state.account.lots_of(id).next().is_some())
        })
        .count();
    let account = r.asks.iter().any(|a| a.campaign.is_none());
    let ask = if of_campaigns == 1 { "asks" } else { "ask" };
    let first = match (open, of_campaigns) {
        (0, _) => "Nothing is held".to_owned(),
        (1, 1) => "The one open campaign asks for you".to_owned(),
        (_, n) => format!(
            "{} of {} {ask} for you",
            number(n),
            number(open).to_lowercase()
        ),
    };
    let too = match (account, of_campaigns) {
        (false, _) => String::new(),
        (true, 0) => "; the account asks".to_owned(),
        (true, _) => "; so does the account".to_owned(),
    };
    let close = previous_session(desk::calendar::last_trading(state.clock.now).date());
    let since = format!("since the close of {}", short_date(close));
    let rest = match (open, r.changed.len()) {
        (0, _) => String::new(),
        (_, 0) => format!("; nothing else has changed its state {since}"),
        (_, 1) => format!("; one other has changed its state {since}"),
        (_, n) => format!(
            "; {} others have changed their state {since}",
            number(n).to_lowercase()
        ),
    };
    format!("{first}{too}{rest}.")
}

fn reason_wire(since: &Since) -> ReasonWire {
    let reason = &since.reason;
    ReasonWire {
        key: reason.key(),
        since: moment(since.since),
        says: reason.says(),
        if_nothing: reason.if_nothing(),
        fits: reason.fits().into_iter().map(Into::into).collect(),
        rule: match reason {
            Reason::Rule { rule, .. } => Some(*rule),
            _ => None,
        },
        order: match reason {
            Reason::Waits { order, .. } => Some(*order),
            _ => None,
        },
    }
}

fn position(state: &DeskState, quoter: &mut Quoter, id: u64) -> Option<Box<Position>> {
    let campaign = state.account.campaign(id)?;
    carried(state, quoter, campaign, None).map(|c| Box::new(c.position))
}

fn ask_wire(state: &DeskState, quoter: &mut Quoter, a: &Asks) -> AskWire {
    AskWire {
        campaign: a.campaign,
        title: a
            .campaign
            .map_or_else(|| Some("the account".into()), |id| title_of(state, id))
            .unwrap_or_default(),
        position: a.campaign.and_then(|id| position(state, quoter, id)),
        reasons: a.reasons.iter().map(reason_wire).collect(),
    }
}

/// An answer in words.
fn answer_words(state: &DeskState, d: &Decision) -> String {
    let style = || {
        let c = state.account.campaign(d.campaign?)?;
        Some(state.world.underlying(&c.symbol)?.style_of_price)
    };
    match d.answer {
        Answer::Close => "closed".into(),
        Answer::Exercise => "to be exercised".into(),
        Answer::DoNotExercise => "not to be exercised".into(),
        Answer::Noted => "read".into(),
        Answer::LetBe(Until::Change) => "let be until it changes".into(),
        Answer::LetBe(Until::Date(date)) => format!("let be until {}", short_date(date)),
        Answer::LetBe(Until::Price { side, level }) => {
            let level = style().unwrap_or_default().write(level);
            let word = match side {
                BellSide::Above => "above",
                BellSide::Below => "below",
            };
            format!("let be until the price is at {level} or {word}")
        }
    }
}

pub(crate) fn decision_wire(state: &DeskState, d: &Decision) -> DecisionWire {
    DecisionWire {
        id: d.id,
        at: moment(d.at),
        campaign: d.campaign,
        title: d
            .campaign
            .map_or_else(|| Some("the account".into()), |id| title_of(state, id))
            .unwrap_or_default(),
        says: d.says.clone(),
        answer: answer_words(state, d),
        order: d.order,
        note: d.note.clone(),
    }
}

fn quiet_wire(state: &DeskState, quoter: &mut Quoter, q: &Quiet, changed: &str) -> QuietWire {
    QuietWire {
        campaign: q.campaign,
        position: position(state, quoter, q.campaign),
        nearness: q.nearness,
        next: q.next.clone(),
        changed: changed.into(),
        let_be: q.let_be.as_ref().map(|d| answer_words(state, d)),
    }
}

fn date_wire(state: &DeskState, d: &Dated) -> DateWire {
    DateWire {
        date: d.date.to_string(),
        label: short_date(d.date),
        days: state.clock.now.days_until(d.date),
        kind: d.kind.into(),
        what: d.what.clone(),
        campaign: d.campaign,
        own: d.own,
    }
}

/// What is shown of the account, limits or not.
const BANDS: [Measure; 8] = [
    Measure::Lean,
    Measure::Theta,
    Measure::Vega,
    Measure::PowerUsed,
    Measure::OneTrade,
    Measure::OneSymbol,
    Measure::OneSector,
    Measure::OneExpiration,
];

fn bands(state: &DeskState, quoter: &mut Quoter) -> Vec<BandWire> {
    let seen = account_seen(state, quoter, AccountNeeds::ALL);
    let rules = ruling(
        &state.my_rules,
        Subject::Account,
        (Structure::Other, "", None),
    );
    let figures = BANDS
        .iter()
        .filter_map(|m| Some((*m, seen.figure(*m)?)))
        .collect::<Vec<(Measure, Figure)>>();
    let band = |(measure, figure): (Measure, Figure)| {
        let facts = measure.facts();
        let of_it = || rules.iter().filter(|r| r.rule.condition.measure == measure);
        let limit = |side: Side| {
            let found = of_it().find(|r| r.rule.condition.side == side)?;
            Some(facts.unit.write(&found.rule.condition.limit.to_string()))
        };
        BandWire {
            measure: facts.word.into(),
            noun: facts.noun.into(),
            seen: figure.words(facts.unit),
            which: seen.which(measure).map(str::to_owned),
            below: limit(Side::Below),
            above: limit(Side::Above),
            rings: of_it().any(|r| r.rule.condition.rings(figure)),
        }
    };
    figures.into_iter().map(band).collect()
}

fn view(state: &DeskState, quoter: &mut Quoter) -> RoundsView {
    let r = rounds_of(state, quoter);
    let changed = |id: u64| {
        let found = r.changed.iter().find(|(c, _)| *c == id);
        found.map_or("", |(_, what)| what.as_str())
    };
    let today = state.clock.now.date().to_string();
    let mut closes = state.days.iter().enumerate().rev();
    let mut close = || {
        let (place, _) = closes.next()?;
        day_wire(state, place)
    };
    RoundsView {
        at: moment(state.clock.now),
        headline: headline(state, &r),
        asks: r.asks.iter().map(|a| ask_wire(state, quoter, a)).collect(),
        quiet: r
            .quiet
            .iter()
            .map(|q| quiet_wire(state, quoter, q, changed(q.campaign)))
            .collect(),
        dates: r.dates.iter().map(|d| date_wire(state, d)).collect(),
        bands: bands(state, quoter),
        decided: r.decided.iter().map(|d| decision_wire(state, d)).collect(),
        looked: moment(r.looked),
        note: state.day_notes.get(&today).cloned().unwrap_or_default(),
        today,
        last_close: close(),
        close_before: close(),
        lesson: None,
        over: over(state),
    }
}

/// What asks for a decision, and what is near to.
#[utoipa::path(get, path = "/rounds", tag = "rounds", responses((status = 200, body = RoundsView)))]
async fn rounds(State(app): State<AppState>) -> Result<Json<RoundsView>, Problem> {
    let mut view = app.read(view).await?;
    view.lesson = said_in_rounds(&app, &app.desk.snapshot());
    Ok(Json(view))
}

/// Until when something is let be.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(tag = "kind", rename_all = "lowercase", deny_unknown_fields)]
enum UntilWire {
    /// The opening of a date.
    Date {
        /// The date, as 2031-03-20.
        date: String,
    },
    /// A price of the underlying.
    Price {
        /// From which side it comes.
        side: SideWord,
        /// The price that ends the wait, as text.
        level: String,
    },
    /// The reason begins anew.
    Change,
}

/// What the trader can say to something that asks.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(tag = "as", rename_all = "camelCase", deny_unknown_fields)]
enum AnswerWire {
    /// Closed by an order that is sent now.
    #[serde(rename_all = "camelCase")]
    Close {
        /// Chosen by the client, 1 to 48 characters.
        client_id: String,
        /// Limit of the order.
        at: MarkWire,
        /// Packages; absent: all.
        packages: Option<i64>,
    },
    /// To be exercised at its end.
    Exercise,
    /// Not to be exercised.
    DoNotExercise,
    /// Let be until something.
    LetBe {
        /// What ends the wait.
        until: UntilWire,
    },
    /// It was read; nothing has to be done.
    Noted,
}

/// An answer to a reason.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
struct DecisionRequest {
    /// The campaign; absent for the account.
    campaign: Option<u64>,
    /// Key of the reason.
    reason: String,
    /// What the trader says to it.
    answer: AnswerWire,
    /// What the trader writes beside it.
    #[serde(default)]
    note: String,
}

/// What a reason that asks now says.
fn says(
    state: &DeskState,
    quoter: &mut Quoter,
    campaign: Option<u64>,
    key: &str,
) -> Option<String> {
    let r = rounds_of(state, quoter);
    let asks = r.asks.iter().find(|a| a.campaign == campaign)?;
    let found = asks.reasons.iter().find(|s| s.reason.key() == key)?;
    Some(found.reason.says())
}

/// Answers a reason: it leaves the list and stays in the day's record.
#[utoipa::path(
    post,
    path = "/rounds/decisions",
    tag = "rounds",
    request_body = DecisionRequest,
    responses(
        (status = 201, body = DecisionWire),
        (status = 404, body = Problem),
        (status = 409, body = Problem),
        (status = 422, body = Problem),
    ),
)]
async fn decide(
    State(app): State<AppState>,
    Body(request): Body<DecisionRequest>,
) -> Result<(StatusCode, Json<DecisionWire>), Problem> {
    let DecisionRequest {
        campaign,
        reason,
        answer,
        note,
    } = request;
    let key = reason.clone();
    let told = app
        .read(move |state, quoter| says(state, quoter, campaign, &key))
        .await?;
    let told = told.ok_or_else(|| Refusal::Field {
        field: "reason",
        message: "it does not ask any more; read the rounds again".into(),
    })?;
    let state = app.desk.snapshot();
    let given = move |answer: Answer, order: Option<u64>| Given {
        campaign,
        reason,
        says: told,
        answer,
        order,
        note,
    };
    let decided = match answer {
        AnswerWire::Close {
            client_id,
            at,
            packages,
        } => {
            let id = campaign.ok_or_else(|| Refusal::Field {
                field: "answer",
                message: "the account cannot be closed; choose a campaign".into(),
            })?;
            let all = state.account.holding_of(id).packages();
            let which = [(id, packages.unwrap_or(all))];
            let at: EntryPrice = at.into();
            app.command(move |desk| {
                desk.with_meaning(
                    |desk| desk.close_positions(&client_id, &which, &at),
                    |desk, placed| desk.decide(given(Answer::Close, placed.first().map(|o| o.id))),
                )
            })
            .await?
        }
        AnswerWire::Exercise => {
            app.command(move |d| d.decide(given(Answer::Exercise, None)))
                .await?
        }
        AnswerWire::DoNotExercise => {
            app.command(move |d| d.decide(given(Answer::DoNotExercise, None)))
                .await?
        }
        AnswerWire::Noted => {
            app.command(move |d| d.decide(given(Answer::Noted, None)))
                .await?
        }
        AnswerWire::LetBe { until } => {
            let until = match until {
                UntilWire::Change => Until::Change,
                UntilWire::Date { date: text } => Until::Date(date("until", &text)?),
                UntilWire::Price { side, level } => {
                    let style = campaign
                        .and_then(|id| state.account.campaign(id))
                        .and_then(|c| state.world.underlying(&c.symbol))
                        .map(|u| u.style_of_price);
                    Until::Price {
                        side: match side {
                            SideWord::Above => BellSide::Above,
                            SideWord::Below => BellSide::Below,
                        },
                        level: parse_price("level", &level, style.unwrap_or_default())?,
                    }
                }
            };
            app.command(move |d| d.decide(given(Answer::LetBe(until), None)))
                .await?
        }
    };
    Ok((
        StatusCode::CREATED,
        Json(decision_wire(&app.desk.snapshot(), &decided)),
    ))
}

/// Rounds were gone through: what happened until now is read.
#[utoipa::path(post, path = "/rounds/done", tag = "rounds", responses((status = 204)))]
async fn done(State(app): State<AppState>) -> Result<StatusCode, Problem> {
    app.command(engine::Engine::went_through).await?;
    Ok(StatusCode::NO_CONTENT)
}

pub(crate) fn router() -> OpenApiRouter<AppState> {
    OpenApiRouter::new()
        .routes(routes!(rounds))
        .routes(routes!(decide))
        .routes(routes!(done))
}
