//! Rounds: why a campaign asks for a decision, what happens if nothing is done, and which answers
//! fit.
//!
//! A [`Reason`] is a fact or a rule that has rung. Facts are common practice and not up to the
//! trader; how near is near is said here.

use jiff::civil::Date;

use crate::ahead::Ahead;
use crate::contract::Contract;
use crate::number::{Money, Price};
use crate::rules::{Group, Measure};
use crate::time::short_date;

/// Events within the life of a sold option ask so many sessions ahead.
pub const EVENT_SESSIONS: i64 = 10;
/// An end asks in so many last sessions.
pub const LAST_SESSIONS: i64 = 2;
/// A hedge that ends asks so many sessions ahead.
pub const HEDGE_SESSIONS: i64 = 5;
/// A sold option worth less than so many ticks asks.
pub const LITTLE_TICKS: i64 = 2;
/// An order asks once it has waited for so many sessions.
pub const WAITED_SESSIONS: i64 = 3;

/// An answer that fits.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Fits {
    /// Close it at the middle.
    Close,
    /// Change it as a draft.
    Rework,
    /// Say that it is exercised.
    Exercise,
    /// Say that it is not.
    DoNotExercise,
    /// Let it be for a time.
    LetBe,
    /// It was read; nothing has to be done.
    Noted,
    /// Look at the order.
    ToOrder,
    /// Look at the account.
    ToBalance,
}

/// Why something asks.
#[derive(Debug, Clone, PartialEq)]
pub enum Reason {
    /// The account needs more than it has.
    Short {
        /// By so much.
        by: Money,
    },
    /// Something is coming by itself.
    Coming(Ahead),
    /// Earnings or a decision within the life of a sold option.
    Event {
        /// What, in words.
        what: String,
        /// The day of the event.
        date: Date,
        /// Sessions to it.
        sessions: i64,
        /// The sold option.
        contract: Contract,
    },
    /// A rule rang.
    Rule {
        /// The number of the rule that found it.
        rule: u64,
        /// What it looks at.
        measure: Measure,
        /// What was seen when it rang, against what is set.
        says: String,
        /// What may still be lost, and what made, where it has a limit.
        max_loss: Option<Money>,
        /// When the first of its legs ends; absent where nothing ends.
        ends: Option<Date>,
    },
    /// A hedge ends before what it hedges.
    HedgeEnds {
        /// The option that hedges shares and ends.
        contract: Contract,
        /// What then stands without it.
        covers: String,
        /// Sessions to its end.
        sessions: i64,
    },
    /// A sold option that is worth next to nothing.
    LittleLeft {
        /// The series that is nearly worthless.
        contract: Contract,
        /// What closing it costs, per unit.
        price: Price,
        /// What is left to make with it.
        left: Money,
    },
    /// An order has waited long, or its market has moved away.
    Waits {
        /// The number of the order that works.
        order: u64,
        /// What it is, in words.
        name: String,
        /// Sessions since it was placed.
        sessions: i64,
        /// From its limit to the middle, and the width of the market, as that market writes them,
        /// where it has moved away.
        away: Option<(String, String)>,
        /// How long it works.
        until: String,
    },
    /// Something happened since the trader looked last.
    Happened {
        /// Number of its entry in the journal.
        entry: usize,
        /// What it says, as a sentence.
        says: String,
    },
    /// Something is held and has no market.
    Unvalued {
        /// What it is called where it is shown.
        label: String,
    },
}

impl Reason {
    /// A name that stays while the reason does.
    pub fn key(&self) -> String {
        match self {
            Reason::Short { .. } => "short".into(),
            Reason::Coming(a) => match a {
                Ahead::AtTheEnd { date, .. } => format!("end:{date}"),
                Ahead::CoinToss { contract, .. } => format!("toss:{contract}"),
                Ahead::Dividend { contract, ex, .. } => format!("dividend:{contract}:{ex}"),
                Ahead::AtExercise { contract, .. } => format!("assignment:{contract}"),
                Ahead::Exercise { contract, .. } => format!("exercise:{contract}"),
                Ahead::LastDay { symbol, .. } => format!("last-day:{symbol}"),
                Ahead::CashNeeded { .. } => "cash".into(),
            },
            Reason::Event { date, .. } => format!("event:{date}"),
            Reason::Rule { rule, .. } => format!("rule:{rule}"),
            Reason::HedgeEnds { contract, .. } => format!("hedge:{contract}"),
            Reason::LittleLeft { contract, .. } => format!("little:{contract}"),
            Reason::Waits { order, .. } => format!("waits:{order}"),
            Reason::Happened { entry, .. } => format!("happened:{entry}"),
            Reason::Unvalued { label } => format!("unvalued:{label}"),
        }
    }

    /// How soon it matters: the least first.
    pub fn urgency(&self) -> u8 {
        match self {
            Reason::Short { .. } => 0,
            Reason::Coming(a) => match a {
                Ahead::CoinToss { .. } | Ahead::CashNeeded { .. } => 1,
                Ahead::Dividend {
                    tonight: Some(_), ..
                }
                | Ahead::AtExercise { .. } => 2,
                Ahead::AtTheEnd { .. } => 3,
                Ahead::Exercise { .. } | Ahead::Dividend { .. } | Ahead::LastDay { .. } => 4,
            },
            Reason::Event { sessions, .. } if *sessions <= 1 => 3,
            Reason::Rule { measure, .. } => match measure.facts().group {
                Group::Loss | Group::Account => 4,
                Group::Price => 5,
                Group::Time | Group::Volatility | Group::Greeks | Group::NewTrades => 6,
                Group::Profit => 7,
            },
            Reason::Event { .. } | Reason::HedgeEnds { .. } => 6,
            Reason::Happened { .. } | Reason::Unvalued { .. } => 7,
            Reason::LittleLeft { .. } | Reason::Waits { .. } => 8,
        }
    }

    /// The reason with its figures.
    pub fn says(&self) -> String {
        match self {
            Reason::Short { by } => {
                format!("The account is {} short of its margin.", by.grouped())
            }
            Reason::Coming(a) => a.to_string(),
            Reason::Event {
                what,
                date,
                sessions,
                contract,
            } => {
                let when = match sessions {
                    0 => "today".to_owned(),
                    1 => "in the next session".to_owned(),
                    n => format!("in {n} sessions"),
                };
                format!(
                    "{} on {}, {when}: within the life of the sold {}, {}.",
                    sentence_case(what),
                    short_date(*date),
                    contract.label(),
                    short_date(contract.expiry)
                )
            }
            Reason::Rule { says, .. } => format!("Your rule: {says}."),
            Reason::HedgeEnds {
                contract,
                covers,
                sessions,
            } => format!(
                "The bought {} ends on {}, in {sessions} sessions, before {covers} that it hedges.",
                contract.label(),
                short_date(contract.expiry)
            ),
            Reason::LittleLeft {
                contract,
                price,
                left,
            } => format!(
                "The sold {}, {}, is worth {price}: {} more can be made with it.",
                contract.label(),
                short_date(contract.expiry),
                left.grouped()
            ),
            Reason::Waits {
                name,
                sessions,
                away,
                ..
            } => {
                let waited = match sessions {
                    0 => "since today".to_owned(),
                    1 => "since the session before".to_owned(),
                    n => format!("for {n} sessions"),
                };
                match away {
                    Some((away, width)) => format!(
                        "{} waits {waited}: its limit is {away} from the middle, in a market {width} \
                         wide.",
                        sentence_case(name)
                    ),
                    None => format!("{} waits {waited}.", sentence_case(name)),
                }
            }
            Reason::Happened { says, .. } => format!("{}.", sentence_case(says)),
            Reason::Unvalued { label } => format!("{} is held and has no market.", label),
        }
    }

    /// What happens if nothing is done; empty where the reason says it itself.
    pub fn if_nothing(&self) -> String {
        let ends = |date: &Date| format!("it goes on to its end on {}", short_date(*date));
        match self {
            Reason::Short { .. } => "nothing can be opened until that is mended".into(),
            Reason::Coming(a) => match a {
                Ahead::CoinToss { delivers: true, .. } => {
                    "it is assigned or it is not, and which is known only after the close".into()
                }
                Ahead::CoinToss { .. } => "it is settled in cash at whatever the price is".into(),
                Ahead::Dividend { contract, .. } => format!(
                    "if it is assigned, the shares go at {} and the dividend goes with them",
                    contract.strike
                ),
                Ahead::AtExercise { contract, .. } => {
                    format!("if it is assigned, shares come at {}", contract.strike)
                }
                Ahead::Exercise { declined: true, .. } => "it expires".into(),
                Ahead::Exercise { .. } => "it is exercised".into(),
                Ahead::CashNeeded { .. } => "an assignment would leave the account short".into(),
                Ahead::LastDay { .. } => "it is settled at its last price".into(),
                Ahead::AtTheEnd { .. } => String::new(),
            },
            Reason::Event { .. } => {
                "the price can jump past a sold strike overnight, and volatility falls behind it"
                    .into()
            }
            Reason::Rule {
                measure,
                max_loss,
                ends: end,
                ..
            } => match (measure.facts().group, end) {
                _ if *measure == Measure::EarningsIn => {
                    "the price can jump overnight, and volatility falls behind it".into()
                }
                _ if *measure == Measure::ExDateIn => {
                    "a sold call in the money can be assigned the night before, and the dividend goes \
                     with the shares"
                        .into()
                }
                (Group::Profit, Some(end)) => {
                    format!(
                        "it stays open, what is made can be given back, and {}",
                        ends(end)
                    )
                }
                (Group::Profit, None) => "it stays open, and what is made can be given back".into(),
                (Group::Loss | Group::Price, _) => match max_loss {
                    Some(most) => {
                        format!("it stays open and can lose {} in all", (-*most).grouped())
                    }
                    None => "it stays open, and what it can lose has no limit".into(),
                },
                (Group::Account, _) => "the account stays as it is".into(),
                (_, Some(end)) => ends(end),
                (_, None) => "it stays as it is".into(),
            },
            Reason::HedgeEnds {
                contract, covers, ..
            } => {
                format!(
                    "from {} on {covers} stands alone",
                    short_date(contract.expiry)
                )
            }
            Reason::LittleLeft { contract, .. } => format!(
                "until {} its risk stays for that little",
                short_date(contract.expiry)
            ),
            Reason::Waits { until, .. } => format!("it works on {until}"),
            Reason::Happened { .. } => String::new(),
            Reason::Unvalued { .. } => "it counts at what it cost, and in no Greek".into(),
        }
    }

    /// The answers that fit.
    pub fn fits(&self) -> Vec<Fits> {
        match self {
            Reason::Short { .. } => vec![Fits::ToBalance, Fits::LetBe],
            Reason::Coming(Ahead::Exercise { declined, .. }) => vec![
                if *declined {
                    Fits::Exercise
                } else {
                    Fits::DoNotExercise
                },
                Fits::Close,
                Fits::Rework,
                Fits::LetBe,
            ],
            Reason::Happened { .. } => vec![Fits::Noted, Fits::Rework],
            Reason::Unvalued { .. } => vec![Fits::LetBe],
            Reason::Waits { .. } => vec![Fits::ToOrder, Fits::LetBe],
            Reason::Rule { measure, .. } if measure.facts().group == Group::Account => {
                vec![Fits::ToBalance, Fits::LetBe]
            }
            _ => vec![Fits::Close, Fits::Rework, Fits::LetBe],
        }
    }
}

/// The first letter large.
fn sentence_case(text: &str) -> String {
    let mut letters = text.chars();
    letters.next().map_or_else(String::new, |first| {
        first.to_uppercase().collect::<String>() + letters.as_str()
    })
}
