//! Drills as text (TOML) and as JSON: one shape for both, one to one with [`plans::drill::Drill`].
//!
//! Numbers are meant exactly as their decimals stand. Any number may be a list in a text that is to be
//! played in all combinations ([`combinations`]); one drill has none.

use std::fmt;
use std::str::FromStr;

use desk::rules::{Condition, Measure, Side};
use desk::{Decimal, Holding, Instrument, Kind, Leg, Money, Price};
use jiff::civil::Date;
use plans::drill::{
    Adjust, Deed, Drill, DrillCondition, DrillEvent, DrillKind, DrillLeg, Enter, Every, Leave,
    LegIn, LookTimes, PressedSide, Size, StrikeAt,
};
use serde::de::Visitor;
use serde::{Deserialize, Deserializer, Serialize, Serializer};
use serde_json::Value;
use utoipa::ToSchema;

/// Days before `days` that are allowed where `least` is not written.
const USUAL_WINDOW: i64 = 7;
/// The most combinations that one sweep may play.
pub const MOST_COMBINATIONS: usize = 2_000;

/// A number exactly as its decimals stand.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ToSchema)]
#[schema(value_type = f64)]
pub struct Exact(pub Decimal);

impl<'de> Deserialize<'de> for Exact {
    fn deserialize<D: Deserializer<'de>>(from: D) -> Result<Exact, D::Error> {
        struct Number;
        impl Visitor<'_> for Number {
            type Value = Exact;
            fn expecting(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
                write!(f, "a number")
            }
            fn visit_i64<E: serde::de::Error>(self, n: i64) -> Result<Exact, E> {
                n.to_string().parse().map(Exact).map_err(E::custom)
            }
            fn visit_u64<E: serde::de::Error>(self, n: u64) -> Result<Exact, E> {
                n.to_string().parse().map(Exact).map_err(E::custom)
            }
            fn visit_f64<E: serde::de::Error>(self, n: f64) -> Result<Exact, E> {
                // The shortest decimals that mean this number are those that were written.
                n.to_string().parse().map(Exact).map_err(E::custom)
            }
        }
        from.deserialize_any(Number)
    }
}

impl Serialize for Exact {
    fn serialize<S: Serializer>(&self, to: S) -> Result<S::Ok, S::Error> {
        if self.0.raw() % Decimal::SCALE == 0 {
            to.serialize_i64(self.0.raw() / Decimal::SCALE)
        } else {
            // Nearest to the decimals, which are found again from it.
            let text = self.0.to_string();
            to.serialize_f64(text.parse().unwrap_or_else(|_| self.0.to_f64()))
        }
    }
}

/// A part of the way, or a word for it.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(
    untagged,
    expecting = "expected 0 (the middle) to 1 (the far side), \"middle\" or \"far\""
)]
pub enum PriceText {
    /// 0 the middle, 1 the far side of every leg.
    Part(Exact),
    /// middle | far.
    Word(String),
}

/// A drill as it is written.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct DrillText {
    /// The name under which it is kept.
    pub name: String,
    /// Symbol of the underlying.
    pub symbol: String,
    /// First date, as 2029-01-02.
    pub from: String,
    /// The last date that is played.
    pub to: String,
    /// "open" (09:45), "close" (15:45), "every N minutes" (09:45 to 15:45).
    pub looks: Vec<String>,
    /// Part of the way from the middle to the far side.
    pub price: PriceText,
    /// Fees are paid.
    #[serde(default = "yes")]
    pub fees: bool,
    /// Money one cycle is measured against.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub stake: Option<Exact>,
    /// When it enters, and what.
    pub enter: EnterText,
    /// When it adjusts, and how.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub adjust: Vec<AdjustText>,
    /// When it leaves.
    #[serde(default)]
    pub leave: LeaveText,
}

fn yes() -> bool {
    true
}

/// Which expirations are entered.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct ExpirationText {
    /// monthly | weekly | any.
    pub kind: String,
    /// Days left at the most.
    pub days: i64,
    /// Days left at the least; `days` − 7 when absent.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub least: Option<i64>,
}

/// How often a cycle is begun.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(
    untagged,
    expecting = "expected \"expiration\", \"free\" or a whole number of sessions"
)]
pub enum EveryText {
    /// So many sessions after the last entry.
    Sessions(i64),
    /// expiration | free.
    Word(String),
}

/// How many packages an entry takes.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(
    untagged,
    expecting = "expected a whole number or { percent_of_stake = x }"
)]
pub enum SizeText {
    /// So many times the quantities.
    Times(i64),
    /// By what it can lose.
    Percent(PercentText),
}

/// In percent of the stake.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct PercentText {
    /// So many percent at the most.
    pub percent_of_stake: Exact,
}

/// The part `[enter]`.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct EnterText {
    /// Which expirations may be entered.
    pub expiration: ExpirationText,
    /// How often; each expiration once when absent.
    #[serde(default = "each")]
    pub every: EveryText,
    /// All of them must hold.
    #[serde(default, rename = "if", skip_serializing_if = "Vec::is_empty")]
    pub conditions: Vec<ConditionText>,
    /// How large; once when absent.
    #[serde(default = "once")]
    pub size: SizeText,
    /// What; legs are numbered from 1.
    pub legs: Vec<LegText>,
}

fn each() -> EveryText {
    EveryText::Word("expiration".into())
}

fn once() -> SizeText {
    SizeText::Times(1)
}

fn one() -> i64 {
    1
}

/// One leg of a package, as a file writes it.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct LegText {
    /// buy | sell.
    pub side: String,
    /// Contracts, shares or futures.
    #[serde(default = "one")]
    pub quantity: i64,
    /// call | put | underlying.
    pub right: String,
    /// Where the strike is looked for; none of the underlying.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub strike: Option<StrikeText>,
    /// In the first expiration of the kind at least so many days behind.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub later: Option<i64>,
}

/// One of points, percent, sigma, delta; or leg with points.
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct StrikeText {
    /// From the price, or from the strike of `leg`.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub points: Option<Exact>,
    /// Percent from the price.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub percent: Option<Exact>,
    /// Deviations from the price.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub sigma: Option<Exact>,
    /// Size of delta.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub delta: Option<Exact>,
    /// Number of another leg.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub leg: Option<usize>,
}

/// A change of the legs, as a file writes it.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct AdjustText {
    /// The condition at which it is made.
    pub when: ConditionText,
    /// What is done.
    #[serde(rename = "do")]
    pub deed: DeedText,
    /// How often at the most.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub most: Option<i64>,
}

/// What an adjustment does.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum DeedText {
    /// Closes all that the cycle holds.
    Close,
    /// Enters anew in the same expiration.
    Rebuild,
    /// Enters anew in the first expiration of the kind at least so many days ahead.
    Roll(i64),
    /// pressed | quiet.
    CloseSide(SideText),
}

/// One of two sides.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum SideText {
    /// Whose sold strike is nearer the price.
    Pressed,
    /// The right whose sold strike is farther from the price.
    Quiet,
}

/// The part `[leave]`.
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct LeaveText {
    /// Any of them is enough.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub when: Vec<ConditionText>,
    /// At the first look at which the so manieth next expiration can be entered.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub until_expirations: Option<i64>,
}

/// An amount of profit or loss.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum AmountText {
    /// An amount of money.
    Money(Exact),
    /// In percent of the most the whole cycle can make (or lose).
    PercentOfMax(Exact),
    /// In percent of the stake.
    PercentOfStake(Exact),
    /// In multiples of what the entry brought.
    TimesCredit(Exact),
    /// In multiples of what the entry cost.
    TimesDebit(Exact),
}

/// A limit on one side.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum LimitText {
    /// So much or more.
    AtOrAbove(Exact),
    /// So much or less.
    AtOrBelow(Exact),
}

/// A price, or so far from the strike of a leg.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(untagged, expecting = "expected a price or { leg = n, points = d }")]
pub enum LevelText {
    /// A price of the underlying.
    Price(Exact),
    /// From the strike of a leg.
    Leg(FromLegText),
}

/// So far from the strike of a leg.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct FromLegText {
    /// The number of the leg, from 1.
    pub leg: usize,
    /// So far above it, below zero below it.
    #[serde(default = "nothing")]
    pub points: Exact,
}

fn nothing() -> Exact {
    Exact(Decimal::ZERO)
}

/// A limit on the price.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum PriceLimitText {
    /// There or above.
    AtOrAbove(LevelText),
    /// There or below.
    AtOrBelow(LevelText),
}

/// A limit on the size of a leg's delta.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct DeltaText {
    /// Number of the leg.
    pub leg: usize,
    /// So much or more.
    pub at_or_above: Exact,
}

/// An event ahead.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct EventText {
    /// earnings | decision | ex-dividend.
    pub kind: String,
    /// Sessions to it at the most; 0 on the date itself.
    pub sessions: i64,
}

/// A condition: a table with one key.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
#[schema(no_recursion)]
pub enum ConditionText {
    /// Profit of the whole cycle, fees paid taken off.
    Profit(AmountText),
    /// The cycle's loss has reached an amount.
    Loss(AmountText),
    /// Days left, or fewer.
    DaysLeft(i64),
    /// Days since the entry, or more.
    DaysOpen(i64),
    /// Price of the underlying.
    Price(PriceLimitText),
    /// Delta of a leg.
    Delta(DeltaText),
    /// Volatility of the cycle's expiration, a fraction.
    Vol(LimitText),
    /// Rank of the 30-day volatility.
    Rank(LimitText),
    /// An event ahead.
    Event(EventText),
    /// Percent of the credit that is kept, a day.
    KeptADay(LimitText),
    /// Deviations to the nearest sold strike.
    ToSoldStrike(LimitText),
    /// Deviations to the nearest break-even.
    ToBreakEven(LimitText),
    /// The largest delta of a sold option.
    SoldDelta(LimitText),
    /// The least time value of a sold option.
    SoldTimeValue(LimitText),
    /// The least price of a sold option.
    SoldPrice(LimitText),
    /// Change of volatility since the entry, in points.
    VolSince(LimitText),
    /// Delta in shares of the index.
    CampaignLean(LimitText),
    /// Delta in units of the underlying.
    CampaignDelta(LimitText),
    /// Theta a day.
    CampaignTheta(LimitText),
    /// Vega a point.
    CampaignVega(LimitText),
    /// Each of the conditions inside holds.
    And(Vec<ConditionText>),
    /// One of them holds.
    Or(Vec<ConditionText>),
    /// It does not hold.
    Not(Box<ConditionText>),
}

fn known<T: Copy>(what: &str, text: &str, words: &[(&str, T)]) -> Result<T, String> {
    let found = words.iter().find(|(w, _)| *w == text);
    found.map(|(_, t)| *t).ok_or_else(|| {
        let all: Vec<String> = words.iter().map(|(w, _)| format!("{w:?}")).collect();
        format!("{what}: {text:?} is not known; write {}", all.join(" or "))
    })
}

fn said<T: Copy + PartialEq>(of: T, words: &[(&str, T)]) -> String {
    let found = words.iter().find(|(_, t)| *t == of);
    found.map_or_else(String::new, |(w, _)| (*w).to_owned())
}

const KINDS: &[(&str, DrillKind)] = &[
    ("monthly", DrillKind::Monthly),
    ("weekly", DrillKind::Weekly),
    ("any", DrillKind::Any),
];
const EVENTS: &[(&str, DrillEvent)] = &[
    ("earnings", DrillEvent::Earnings),
    ("decision", DrillEvent::Decision),
    ("ex-dividend", DrillEvent::ExDividend),
];

fn price(what: &str, x: Exact) -> Result<Price, String> {
    x.0.to_string().parse().map_err(|e| format!("{what}: {e}"))
}

fn exact(p: Price) -> Exact {
    Exact(Decimal::from_raw(p.raw()))
}

/// A condition on one measure.
fn rule(measure: Measure, side: Side, limit: Decimal) -> DrillCondition {
    DrillCondition::Rule(Condition {
        measure,
        side,
        limit,
    })
}

fn sided(limit: &LimitText) -> (Side, Decimal) {
    match limit {
        LimitText::AtOrAbove(x) => (Side::Above, x.0),
        LimitText::AtOrBelow(x) => (Side::Below, x.0),
    }
}

fn limit_text(side: Side, limit: Decimal) -> LimitText {
    match side {
        Side::Above => LimitText::AtOrAbove(Exact(limit)),
        Side::Below => LimitText::AtOrBelow(Exact(limit)),
    }
}

/// Volatilities above this are meant in percent, and must be written as fractions.
const HIGHEST_VOL: i64 = 3;

fn condition(c: &ConditionText) -> Result<DrillCondition, String> {
    use ConditionText as C;
    use Measure as M;
    let plain = |measure: M, l: &LimitText| {
        let (side, limit) = sided(l);
        Ok(rule(measure, side, limit))
    };
    let all = |list: &[ConditionText]| list.iter().map(condition).collect::<Result<Vec<_>, _>>();
    match c {
        C::Profit(a) | C::Loss(a) => {
            let loss = matches!(c, C::Loss(_));
            let of = |gain: M, lost: M, x: &Exact| {
                rule(if loss { lost } else { gain }, Side::Above, x.0)
            };
            Ok(match a {
                AmountText::Money(x) => of(M::Profit, M::Loss, x),
                AmountText::PercentOfMax(x) => of(M::ProfitOfMax, M::LossOfMax, x),
                AmountText::TimesCredit(x) => of(M::ProfitOfCredit, M::LossOfCredit, x),
                AmountText::TimesDebit(x) => of(M::ProfitOfDebit, M::LossOfDebit, x),
                AmountText::PercentOfStake(x) => DrillCondition::OfStake { loss, percent: x.0 },
            })
        }
        C::DaysLeft(n) => Ok(rule(M::DaysLeft, Side::Below, Decimal::whole(*n))),
        C::DaysOpen(n) => Ok(rule(M::DaysOpen, Side::Above, Decimal::whole(*n))),
        C::Price(l) => {
            let (side, level) = match l {
                PriceLimitText::AtOrAbove(l) => (Side::Above, l),
                PriceLimitText::AtOrBelow(l) => (Side::Below, l),
            };
            Ok(match level {
                LevelText::Price(x) => rule(M::Price, side, x.0),
                LevelText::Leg(l) => DrillCondition::PriceAtLeg {
                    side,
                    leg: l.leg,
                    points: price("points", l.points)?,
                },
            })
        }
        C::Delta(d) => Ok(DrillCondition::LegDelta {
            leg: d.leg,
            at_or_above: d.at_or_above.0,
        }),
        C::Vol(l) => {
            let (side, limit) = sided(l);
            if limit > Decimal::whole(HIGHEST_VOL) {
                return Err(format!(
                    "vol: {limit} would be {limit} times 100 %; write a fraction, such as 0.25 for 25 %"
                ));
            }
            Ok(rule(M::Vol, side, limit * 100))
        }
        C::Rank(l) => plain(M::Rank, l),
        C::Event(e) => Ok(DrillCondition::Event {
            kind: known("event kind", &e.kind, EVENTS)?,
            sessions: e.sessions,
        }),
        C::KeptADay(l) => plain(M::KeptADay, l),
        C::ToSoldStrike(l) => plain(M::ToSoldStrike, l),
        C::ToBreakEven(l) => plain(M::ToBreakEven, l),
        C::SoldDelta(l) => plain(M::SoldDelta, l),
        C::SoldTimeValue(l) => plain(M::SoldTimeValue, l),
        C::SoldPrice(l) => plain(M::SoldPrice, l),
        C::VolSince(l) => plain(M::VolSince, l),
        C::CampaignLean(l) => plain(M::CampaignLean, l),
        C::CampaignDelta(l) => plain(M::CampaignDelta, l),
        C::CampaignTheta(l) => plain(M::CampaignTheta, l),
        C::CampaignVega(l) => plain(M::CampaignVega, l),
        C::And(list) => Ok(DrillCondition::And(all(list)?)),
        C::Or(list) => Ok(DrillCondition::Or(all(list)?)),
        C::Not(one) => Ok(DrillCondition::Not(Box::new(condition(one)?))),
    }
}

fn condition_text(c: &DrillCondition) -> ConditionText {
    use AmountText as A;
    use ConditionText as T;
    use Measure as M;
    let all = |list: &[DrillCondition]| list.iter().map(condition_text).collect();
    match c {
        DrillCondition::OfStake { loss, percent } => {
            let amount = A::PercentOfStake(Exact(*percent));
            if *loss {
                T::Loss(amount)
            } else {
                T::Profit(amount)
            }
        }
        DrillCondition::PriceAtLeg { side, leg, points } => {
            let level = LevelText::Leg(FromLegText {
                leg: *leg,
                points: exact(*points),
            });
            T::Price(match side {
                Side::Above => PriceLimitText::AtOrAbove(level),
                Side::Below => PriceLimitText::AtOrBelow(level),
            })
        }
        DrillCondition::LegDelta { leg, at_or_above } => T::Delta(DeltaText {
            leg: *leg,
            at_or_above: Exact(*at_or_above),
        }),
        DrillCondition::Event { kind, sessions } => T::Event(EventText {
            kind: said(*kind, EVENTS),
            sessions: *sessions,
        }),
        DrillCondition::And(list) => T::And(all(list)),
        DrillCondition::Or(list) => T::Or(all(list)),
        DrillCondition::Not(one) => T::Not(Box::new(condition_text(one))),
        DrillCondition::Rule(c) => {
            let (x, limit) = (Exact(c.limit), limit_text(c.side, c.limit));
            let whole = c.limit.raw() / Decimal::SCALE;
            match c.measure {
                M::Profit => T::Profit(A::Money(x)),
                M::ProfitOfMax => T::Profit(A::PercentOfMax(x)),
                M::ProfitOfCredit => T::Profit(A::TimesCredit(x)),
                M::ProfitOfDebit => T::Profit(A::TimesDebit(x)),
                M::Loss => T::Loss(A::Money(x)),
                M::LossOfMax => T::Loss(A::PercentOfMax(x)),
                M::LossOfCredit => T::Loss(A::TimesCredit(x)),
                M::LossOfDebit => T::Loss(A::TimesDebit(x)),
                M::DaysLeft => T::DaysLeft(whole),
                M::DaysOpen => T::DaysOpen(whole),
                M::Price => {
                    let level = LevelText::Price(x);
                    T::Price(match c.side {
                        Side::Above => PriceLimitText::AtOrAbove(level),
                        Side::Below => PriceLimitText::AtOrBelow(level),
                    })
                }
                M::Vol => T::Vol(limit_text(c.side, Decimal::from_raw(c.limit.raw() / 100))),
                M::KeptADay => T::KeptADay(limit),
                M::ToSoldStrike => T::ToSoldStrike(limit),
                M::ToBreakEven => T::ToBreakEven(limit),
                M::SoldDelta => T::SoldDelta(limit),
                M::SoldTimeValue => T::SoldTimeValue(limit),
                M::SoldPrice => T::SoldPrice(limit),
                M::VolSince => T::VolSince(limit),
                M::CampaignLean => T::CampaignLean(limit),
                M::CampaignDelta => T::CampaignDelta(limit),
                M::CampaignTheta => T::CampaignTheta(limit),
                M::CampaignVega => T::CampaignVega(limit),
                // No other measure can be written.
                _ => T::Rank(limit),
            }
        }
    }
}

fn looks(text: &str) -> Result<LookTimes, String> {
    let wrong = || {
        format!("looks: {text:?} is not known; write \"open\", \"close\" or \"every 30 minutes\"")
    };
    match text {
        "open" => Ok(LookTimes::Open),
        "close" => Ok(LookTimes::Close),
        _ => {
            let mut words = text.split_whitespace();
            let shaped = (words.next(), words.next(), words.next(), words.next());
            let (Some("every"), Some(n), Some("minutes" | "minute"), None) = shaped else {
                return Err(wrong());
            };
            Ok(LookTimes::Every(n.parse().map_err(|_| wrong())?))
        }
    }
}

fn strike(what: &str, s: &StrikeText) -> Result<StrikeAt, String> {
    let wrong = || {
        format!("{what}: strike: write one of points, percent, sigma, delta, or leg with points")
    };
    match (s.points, s.percent, s.sigma, s.delta, s.leg) {
        (points, None, None, None, Some(leg)) => Ok(StrikeAt::Leg {
            leg,
            points: price(what, points.unwrap_or_else(nothing))?,
        }),
        (Some(x), None, None, None, None) => Ok(StrikeAt::Points(price(what, x)?)),
        (None, Some(x), None, None, None) => Ok(StrikeAt::Percent(x.0)),
        (None, None, Some(x), None, None) => Ok(StrikeAt::Sigma(x.0)),
        (None, None, None, Some(x), None) => Ok(StrikeAt::Delta(x.0)),
        _ => Err(wrong()),
    }
}

fn leg(i: usize, l: &LegText) -> Result<DrillLeg, String> {
    let what = format!("[enter] leg {}", i + 1);
    let side = known(
        &format!("{what}, side"),
        &l.side,
        &[("buy", 1), ("sell", -1)],
    )?;
    if l.quantity <= 0 {
        return Err(format!(
            "{what}: quantity {} is not above zero; side tells whether it is bought or sold",
            l.quantity
        ));
    }
    let kind = known(
        &format!("{what}, right"),
        &l.right,
        &[
            ("call", Some(Kind::Call)),
            ("put", Some(Kind::Put)),
            ("underlying", None),
        ],
    )?;
    let of = match (kind, &l.strike) {
        (None, None) if l.later.is_none() => LegIn::Underlying,
        (None, _) => return Err(format!("{what}: the underlying has no strike and no later")),
        (Some(_), None) => return Err(format!("{what}: strike is missing")),
        (Some(kind), Some(s)) => LegIn::Option {
            kind,
            strike: strike(&what, s)?,
            later: l.later,
        },
    };
    Ok(DrillLeg {
        quantity: side * l.quantity,
        what: of,
    })
}

fn leg_text(l: &DrillLeg) -> LegText {
    let (right, at, later) = match l.what {
        LegIn::Underlying => ("underlying", None, None),
        LegIn::Option {
            kind,
            strike,
            later,
        } => {
            let none = StrikeText::default();
            let at = match strike {
                StrikeAt::Points(p) => StrikeText {
                    points: Some(exact(p)),
                    ..none
                },
                StrikeAt::Percent(x) => StrikeText {
                    percent: Some(Exact(x)),
                    ..none
                },
                StrikeAt::Sigma(x) => StrikeText {
                    sigma: Some(Exact(x)),
                    ..none
                },
                StrikeAt::Delta(x) => StrikeText {
                    delta: Some(Exact(x)),
                    ..none
                },
                StrikeAt::Leg { leg, points } => StrikeText {
                    leg: Some(leg),
                    points: Some(exact(points)),
                    ..none
                },
            };
            let right = if kind == Kind::Call { "call" } else { "put" };
            (right, Some(at), later)
        }
    };
    LegText {
        side: if l.quantity > 0 { "buy" } else { "sell" }.into(),
        quantity: l.quantity.abs(),
        right: right.into(),
        strike: at,
        later,
    }
}

fn date(what: &str, text: &str) -> Result<Date, String> {
    text.parse()
        .map_err(|_| format!("{what}: {text:?} is no date; write one like 2029-01-02"))
}

impl DrillText {
    /// The drill that is meant; it is complete and makes sense.
    ///
    /// # Errors
    /// What is wrong, where, and what would be right.
    pub fn drill(&self) -> Result<Drill, String> {
        let e = &self.enter;
        let numbered = |place: &str, all: &[ConditionText]| {
            let each = all.iter().enumerate();
            each.map(|(i, c)| {
                condition(c).map_err(|e| format!("{place}, condition {}: {e}", i + 1))
            })
            .collect::<Result<Vec<_>, String>>()
        };
        let adjust = self.adjust.iter().enumerate().map(|(i, a)| {
            Ok(Adjust {
                when: condition(&a.when).map_err(|e| format!("[[adjust]] {}, when: {e}", i + 1))?,
                deed: match a.deed {
                    DeedText::Close => Deed::Close,
                    DeedText::Rebuild => Deed::Rebuild,
                    DeedText::Roll(days) => Deed::Roll(days),
                    DeedText::CloseSide(SideText::Pressed) => Deed::CloseSide(PressedSide::Pressed),
                    DeedText::CloseSide(SideText::Quiet) => Deed::CloseSide(PressedSide::Quiet),
                },
                most: a.most,
            })
        });
        let stake = self.stake.map(|x| x.0.to_string().parse::<Money>());
        let drill = Drill {
            name: self.name.clone(),
            symbol: self.symbol.clone(),
            from: date("from", &self.from)?,
            to: date("to", &self.to)?,
            looks: self
                .looks
                .iter()
                .map(|t| looks(t))
                .collect::<Result<_, _>>()?,
            price: match &self.price {
                PriceText::Part(x) => x.0,
                PriceText::Word(w) => known(
                    "price",
                    w,
                    &[("middle", Decimal::ZERO), ("far", Decimal::whole(1))],
                )?,
            },
            fees: self.fees,
            stake: stake.transpose().map_err(|e| format!("stake: {e}"))?,
            enter: Enter {
                kind: known("[enter] expiration kind", &e.expiration.kind, KINDS)?,
                days: e.expiration.days,
                least: e
                    .expiration
                    .least
                    .unwrap_or(e.expiration.days - USUAL_WINDOW),
                every: match &e.every {
                    EveryText::Sessions(n) => Every::Sessions(*n),
                    EveryText::Word(w) => known(
                        "[enter] every",
                        w,
                        &[("expiration", Every::Expiration), ("free", Every::Free)],
                    )?,
                },
                conditions: numbered("[enter] if", &e.conditions)?,
                size: match &e.size {
                    SizeText::Times(n) => Size::Times(*n),
                    SizeText::Percent(p) => Size::PercentOfStake(p.percent_of_stake.0),
                },
                legs: e
                    .legs
                    .iter()
                    .enumerate()
                    .map(|(i, l)| leg(i, l))
                    .collect::<Result<_, _>>()?,
            },
            adjust: adjust.collect::<Result<_, String>>()?,
            leave: Leave {
                when: numbered("[leave] when", &self.leave.when)?,
                until_expirations: self.leave.until_expirations,
            },
        };
        drill.check()?;
        Ok(drill)
    }

    /// A drill as it is written.
    pub fn of(drill: &Drill) -> DrillText {
        let e = &drill.enter;
        DrillText {
            name: drill.name.clone(),
            symbol: drill.symbol.clone(),
            from: drill.from.to_string(),
            to: drill.to.to_string(),
            looks: drill
                .looks
                .iter()
                .map(|l| match l {
                    LookTimes::Open => "open".into(),
                    LookTimes::Close => "close".into(),
                    LookTimes::Every(n) => format!("every {n} minutes"),
                })
                .collect(),
            price: PriceText::Part(Exact(drill.price)),
            fees: drill.fees,
            stake: drill
                .stake
                .and_then(|s| s.to_string().parse().ok())
                .map(Exact),
            enter: EnterText {
                expiration: ExpirationText {
                    kind: said(e.kind, KINDS),
                    days: e.days,
                    least: Some(e.least).filter(|l| *l != e.days - USUAL_WINDOW),
                },
                every: match e.every {
                    Every::Expiration => EveryText::Word("expiration".into()),
                    Every::Free => EveryText::Word("free".into()),
                    Every::Sessions(n) => EveryText::Sessions(n),
                },
                conditions: e.conditions.iter().map(condition_text).collect(),
                size: match e.size {
                    Size::Times(n) => SizeText::Times(n),
                    Size::PercentOfStake(x) => SizeText::Percent(PercentText {
                        percent_of_stake: Exact(x),
                    }),
                },
                legs: e.legs.iter().map(leg_text).collect(),
            },
            adjust: drill
                .adjust
                .iter()
                .map(|a| AdjustText {
                    when: condition_text(&a.when),
                    deed: match a.deed {
                        Deed::Close => DeedText::Close,
                        Deed::Rebuild => DeedText::Rebuild,
                        Deed::Roll(days) => DeedText::Roll(days),
                        Deed::CloseSide(PressedSide::Pressed) => {
                            DeedText::CloseSide(SideText::Pressed)
                        }
                        Deed::CloseSide(PressedSide::Quiet) => DeedText::CloseSide(SideText::Quiet),
                    },
                    most: a.most,
                })
                .collect(),
            leave: LeaveText {
                when: drill.leave.when.iter().map(condition_text).collect(),
                until_expirations: drill.leave.until_expirations,
            },
        }
    }
}

impl FromStr for DrillText {
    type Err = String;

    /// From TOML; the error names the line.
    fn from_str(text: &str) -> Result<DrillText, String> {
        toml::from_str(text).map_err(|e| e.to_string().trim_end().to_owned())
    }
}

/// Legs as batch files tell them: `+1 X; -1 Y`, the underlying first, then options by strike, puts before
/// calls.
pub fn legs_held(legs: &Holding) -> String {
    let mut all: Vec<&Leg> = legs.legs().iter().collect();
    all.sort_by_key(|l| {
        l.instrument
            .option()
            .map(|c| (c.strike, c.kind == Kind::Call, c.expiry, c.root.clone()))
    });
    let all: Vec<(Instrument, i64)> = all
        .into_iter()
        .map(|l| (l.instrument.clone(), l.quantity))
        .collect();
    plans::scout::legs_text(&all)
}

/// A value on one line of TOML.
fn inline(value: &Value) -> String {
    match value {
        Value::Array(all) => {
            let each: Vec<String> = all.iter().map(inline).collect();
            format!("[{}]", each.join(", "))
        }
        Value::Object(fields) => {
            let each: Vec<String> = fields
                .iter()
                .map(|(name, v)| format!("{name} = {}", inline(v)))
                .collect();
            format!("{{ {} }}", each.join(", "))
        }
        Value::String(text) => toml::Value::String(text.clone()).to_string(),
        other => other.to_string(),
    }
}

/// The fields of a table, one on a line; lists of tables one table on a line.
fn lines(out: &mut String, fields: &serde_json::Map<String, Value>, skip: &[&str]) {
    for (name, value) in fields.iter().filter(|(n, _)| !skip.contains(&n.as_str())) {
        let tables = value
            .as_array()
            .filter(|a| !a.is_empty() && a.iter().all(Value::is_object));
        match tables {
            Some(all) => {
                out.push_str(&format!("{name} = [\n"));
                for one in all {
                    out.push_str(&format!("  {},\n", inline(one)));
                }
                out.push_str("]\n");
            }
            None => out.push_str(&format!("{name} = {}\n", inline(value))),
        }
    }
}

/// A drill as TOML, whether its numbers are lists or not.
pub fn drill_toml(drill: &Value) -> String {
    let mut out = String::new();
    let Some(fields) = drill.as_object() else {
        return out;
    };
    lines(&mut out, fields, &["enter", "adjust", "leave"]);
    let mut table = |title: &str, value: Option<&Value>| {
        let fields = value.and_then(Value::as_object).filter(|f| !f.is_empty());
        if let Some(fields) = fields {
            out.push_str(&format!("\n{title}\n"));
            lines(&mut out, fields, &[]);
        }
    };
    table("[enter]", fields.get("enter"));
    for one in fields
        .get("adjust")
        .and_then(Value::as_array)
        .into_iter()
        .flatten()
    {
        table("[[adjust]]", Some(one));
    }
    table("[leave]", fields.get("leave"));
    out
}

/// A number of a drill that is a list: where it stands, and what it is in turn.
#[derive(Debug, Clone, PartialEq)]
pub struct Varied {
    /// Where, as `enter.legs.1.strike.delta`.
    pub place: String,
    /// The numbers that are tried, one after another.
    pub values: Vec<Value>,
}

/// Lists of numbers in a drill.
pub fn varied(drill: &Value) -> Vec<Varied> {
    fn walk(value: &Value, place: &str, out: &mut Vec<Varied>) {
        let at = |name: &str| {
            if place.is_empty() {
                name.to_owned()
            } else {
                format!("{place}.{name}")
            }
        };
        match value {
            Value::Array(all) if !all.is_empty() && all.iter().all(Value::is_number) => {
                out.push(Varied {
                    place: place.to_owned(),
                    values: all.clone(),
                });
            }
            Value::Array(all) => {
                for (i, one) in all.iter().enumerate() {
                    walk(one, &at(&(i + 1).to_string()), out);
                }
            }
            Value::Object(fields) => {
                for (name, one) in fields {
                    walk(one, &at(name), out);
                }
            }
            _ => {}
        }
    }
    let mut out = Vec::new();
    walk(drill, "", &mut out);
    out
}

fn put(drill: &mut Value, place: &str, to: &Value) {
    let mut at = drill;
    for name in place.split('.') {
        let next = match at {
            Value::Array(all) => name
                .parse::<usize>()
                .ok()
                .and_then(|i| all.get_mut(i.wrapping_sub(1))),
            Value::Object(fields) => fields.get_mut(name),
            _ => None,
        };
        match next {
            Some(found) => at = found,
            None => return,
        }
    }
    *at = to.clone();
}

/// A drill of a sweep: the numbers it takes, in the order of [`varied`], and the drill.
pub type Combination = (Vec<Value>, DrillText);

/// Every combination of the numbers that are lists, the last one changing fastest; without a list the
/// drill alone.
///
/// # Errors
/// There are too many, or one of them is no drill.
pub fn combinations(drill: &Value) -> Result<Vec<Combination>, String> {
    let lists = varied(drill);
    let count = lists
        .iter()
        .try_fold(1_usize, |n, v| n.checked_mul(v.values.len()))
        .filter(|n| *n <= MOST_COMBINATIONS)
        .ok_or_else(|| {
            format!(
                "the lists make more than {MOST_COMBINATIONS} combinations; take out some numbers"
            )
        })?;
    (0..count)
        .map(|i| {
            let mut rest = i;
            let mut taken: Vec<Value> = lists
                .iter()
                .rev()
                .map(|v| {
                    let one = v.values[rest % v.values.len()].clone();
                    rest /= v.values.len();
                    one
                })
                .collect();
            taken.reverse();
            let mut own = drill.clone();
            for (v, to) in lists.iter().zip(&taken) {
                put(&mut own, &v.place, to);
            }
            let text = serde_path_to_error::deserialize(own)
                .map_err(|e| format!("{}: {}", e.path(), e.inner()))?;
            Ok((taken, text))
        })
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    const WHOLE: &str = r#"
name = "everything"
symbol = "WXMR"
from = "2029-01-02"
to = "2031-03-10"
looks = ["open", "every 45 minutes"]
price = 0.35
fees = false
stake = 12000

[enter]
expiration = { kind = "any", days = 66, least = 50 }
every = 3
if = [{ rank = { at_or_above = 25 } }, { not = { event = { kind = "ex-dividend", sessions = 2 } } }]
size = { percent_of_stake = 7.1 }
legs = [
  { side = "sell", quantity = 2, right = "put", strike = { delta = 0.16 } },
  { side = "buy", quantity = 1, right = "put", strike = { leg = 1, points = -50 } },
  { side = "buy", quantity = 1, right = "call", strike = { sigma = 1.25 }, later = 28 },
  { side = "sell", quantity = 1, right = "call", strike = { percent = 2.5 } },
]

[[adjust]]
when = { price = { at_or_below = { leg = 1, points = 12.5 } } }
do = { roll = 40 }
most = 2

[[adjust]]
when = { or = [{ delta = { leg = 4, at_or_above = 0.4 } }, { vol = { at_or_below = 0.125 } }] }
do = { close_side = "pressed" }

[[adjust]]
when = { loss = { times_credit = 2 } }
do = "rebuild"

[leave]
when = [{ profit = { percent_of_stake = 8 } }, { and = [{ days_left = 21 }, { days_open = 5 }] }, { sold_delta = { at_or_above = 0.5 } }]
until_expirations = 1
"#;

    /// Text to drill to text to drill, by way of JSON too: nothing is lost.
    #[test]
    fn a_drill_is_one_to_one_with_its_text() {
        let text: DrillText = WHOLE.parse().unwrap();
        let drill = text.drill().unwrap();
        assert_eq!(DrillText::of(&drill), text);
        let json = serde_json::to_value(&text).unwrap();
        let written = drill_toml(&json);
        assert_eq!(written.parse::<DrillText>().unwrap(), text, "{written}");
        assert_eq!(combinations(&json).unwrap(), [(vec![], text)]);
        assert_eq!(drill.stake, Some(Money::whole(12_000)));
    }

    /// The drill that the README shows is one.
    #[test]
    fn the_sample_of_the_readme_is_a_drill() {
        let readme = include_str!("../../../../README.md");
        let start = readme.find("    name = \"monthly condor\"").unwrap();
        let block = readme[start..].lines();
        let sample: Vec<&str> = block.map_while(|l| l.strip_prefix("    ")).collect();
        let drill = sample
            .join("\n")
            .parse::<DrillText>()
            .and_then(|t| t.drill());
        assert_eq!(drill.unwrap().enter.legs.len(), 2);
    }

    #[test]
    fn what_is_wrong_is_named_with_its_place() {
        for (from, to, said) in [
            (
                "looks = [\"open\"",
                "looks = [\"noon\"",
                "\"noon\" is not known",
            ),
            ("price = 0.35", "", "missing field `price`"),
            (
                "price = 0.35",
                "price = 1.2",
                "price 1.2 is no part of the way",
            ),
            ("stake = 12000", "", "stake is missing"),
            ("least = 50", "least = 70", "least 70 is more than days 66"),
            (
                "points = -50 }",
                "points = -50, delta = 0.1 }",
                "[enter] leg 2: strike: write one of",
            ),
            (
                "leg = 1, points = -50",
                "leg = 2, points = -50",
                "[enter] leg 2: strike hangs on itself",
            ),
            (
                "{ days_open = 5 }",
                "{ days_opn = 5 }",
                "unknown variant `days_opn`",
            ),
            (
                "at_or_below = 0.125",
                "at_or_below = 12.5",
                "write a fraction",
            ),
            (
                "leg = 4, at",
                "leg = 5, at",
                "[[adjust]] 2, when: leg 5: legs are numbered 1 to 4",
            ),
            (
                "rank = { at_or_above = 25 }",
                "profit = { money = 1 }",
                "[enter] if, condition 1: nothing is held yet",
            ),
            ("sessions = 2", "session = 2", "unknown field `session`"),
        ] {
            let text = WHOLE.replacen(from, to, 1);
            assert_ne!(text, WHOLE, "{from}");
            let wrong = text
                .parse::<DrillText>()
                .and_then(|t| t.drill())
                .unwrap_err();
            assert!(wrong.contains(said), "{from} → {to}: {wrong}");
        }
    }

    /// Two lists of two and three: six drills, the last list changing fastest.
    #[test]
    fn lists_of_numbers_make_all_combinations() {
        let text = WHOLE.replace("delta = 0.16", "delta = [0.16, 0.2]");
        let text = text.replace("days_left = 21", "days_left = [21, 14, 7]");
        let json: Value = toml::from_str(&text).unwrap();
        let lists = varied(&json);
        assert_eq!(lists[0].place, "enter.legs.1.strike.delta");
        assert_eq!(lists[1].place, "leave.when.2.and.1.days_left");
        let all = combinations(&json).unwrap();
        let taken: Vec<String> = all
            .iter()
            .map(|(t, _)| format!("{} {}", t[0], t[1]))
            .collect();
        assert_eq!(
            taken,
            ["0.16 21", "0.16 14", "0.16 7", "0.2 21", "0.2 14", "0.2 7"]
        );
        let wanted = WHOLE
            .replace("delta = 0.16", "delta = 0.2")
            .replace("days_left = 21", "days_left = 14");
        assert_eq!(all[4].1, wanted.parse().unwrap());
        let many = text.replace(
            "[21, 14, 7]",
            &format!("{:?}", (0..1001).collect::<Vec<_>>()),
        );
        let wrong = combinations(&toml::from_str::<Value>(&many).unwrap()).unwrap_err();
        assert!(wrong.contains("more than 2000"), "{wrong}");
    }
}
