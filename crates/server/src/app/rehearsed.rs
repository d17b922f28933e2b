//! What the demo has rehearsed: two drills that are kept, and a run by hand that is over. The figures are
//! the demo trader's own.

use std::path::Path;

use desk::{AccountRules, DayTradeSwitch, Kind, Moment, Money};
use engine::{Engine, Refusal as EngineRefusal};
use jiff::civil::date;

use crate::app::demo::{Trader, pick};
use crate::app::open::Past;
use crate::app::refusal::{Failure, Refusal};
use crate::app::runs::{ABOUT, About, about_text};
use crate::interchange::drill::DrillText;
use crate::{Beginning, Settings, open};

/// The drills that are kept.
const DRILLS: [&str; 2] = [
    r#"
name = "Wexmoor condor, built anew once"
symbol = "WXMR"
from = "2029-01-02"
to = "2031-03-10"
looks = ["close"]
price = 0.4
fees = true
stake = 4500
[enter]
expiration = { kind = "monthly", days = 52 }
legs = [
  { side = "sell", quantity = 1, right = "put", strike = { sigma = -1.1 } },
  { side = "buy", quantity = 1, right = "put", strike = { leg = 1, points = -45 } },
  { side = "sell", quantity = 1, right = "call", strike = { sigma = 1.05 } },
  { side = "buy", quantity = 1, right = "call", strike = { leg = 3, points = 45 } },
]
[[adjust]]
when = { or = [
  { price = { at_or_below = { leg = 1, points = 15 } } },
  { price = { at_or_above = { leg = 3, points = -15 } } },
] }
do = "rebuild"
most = 1
[leave]
when = [
  { profit = { percent_of_max = 44 } },
  { days_left = 12 },
  { loss = { percent_of_stake = 35 } },
]
"#,
    r#"
name = "Nimoura straddle into earnings"
symbol = "NMOU"
from = "2029-01-02"
to = "2031-03-10"
looks = ["open", "close"]
price = 0.6
fees = true
stake = 20000
[enter]
expiration = { kind = "any", days = 45, least = 16 }
every = "free"
if = [
  { event = { kind = "earnings", sessions = 13 } },
  { not = { event = { kind = "earnings", sessions = 9 } } },
]
size = { percent_of_stake = 16 }
legs = [
  { side = "buy", quantity = 1, right = "call", strike = { points = 0 } },
  { side = "buy", quantity = 1, right = "put", strike = { leg = 1, points = 0 } },
]
[leave]
when = [
  { event = { kind = "earnings", sessions = 0 } },
  { profit = { times_debit = 0.18 } },
  { loss = { times_debit = 0.22 } },
]
"#,
];

/// Keeps the drills in the account.
///
/// # Errors
/// One of them is no drill, or it cannot be kept.
pub fn drills(desk: &mut Engine) -> Result<(), EngineRefusal> {
    let wrong = |message: String| EngineRefusal::Field {
        field: "drill",
        message,
    };
    for text in DRILLS {
        let text: DrillText = text.parse().map_err(wrong)?;
        text.drill().map_err(wrong)?;
        let body = serde_json::to_string(&text).map_err(|e| wrong(e.to_string()))?;
        desk.keep_draft(format!("drill/{}", text.name), Some(body))?;
    }
    Ok(())
}

/// Lives a summer with condors on the index, in a run of its own beside the account's file.
///
/// # Errors
/// An order of the script is refused, or the file cannot be made.
pub fn summer(account: &Path, settings: &Settings) -> Result<(), Failure> {
    let place = store::beside(account, "runs").join("summer-condors.db");
    if place.exists() {
        return Ok(());
    }
    let began = Moment::at(date(2030, 6, 10), 9, 30);
    let about = About {
        note: "Condors on the index through the summer, by hand: one rolled too late".into(),
        symbol: Some("WXMR".into()),
        began: began.millis(),
        finished: true,
        ..About::default()
    };
    let past = Past {
        at: began,
        money: Money::whole(48_000),
        account: (AccountRules::default(), DayTradeSwitch::ByDate),
        rules: Vec::new(),
        kept: (ABOUT.into(), about_text(&about)),
    };
    let mut desk = open(&place, Beginning::Past(Box::new(past)), settings)?;
    desk.run(live).map_err(|e| match e {
        Failure::Refusal(e) => Failure::Refusal(Refusal::Field {
            field: "demo",
            message: format!("the run of the summer: {e}"),
        }),
        other @ Failure::Store(_) => other,
    })
}

fn live(desk: &mut Engine) -> Result<(), EngineRefusal> {
    use Kind::{Call, Put};
    let mut t = Trader::new(desk);
    let condor = [
        pick(Put, 0.10, 1),
        pick(Put, 0.18, -1),
        pick(Call, 0.18, -1),
        pick(Call, 0.10, 1),
    ];
    t.wait_until(date(2030, 6, 11), 11, 0)?;
    let unit = t.structure("WXMR", 38, &condor)?;
    let first = t.open("WXMR", unit, 1)?;
    t.wait_until(date(2030, 7, 2), 14, 30)?;
    t.close(&first, 1)?;
    t.wait_until(date(2030, 7, 9), 10, 30)?;
    let unit = t.structure("WXMR", 36, &condor)?;
    let mut second = t.open("WXMR", unit, 1)?;
    t.wait_until(date(2030, 7, 24), 13, 0)?;
    let later = t.structure("WXMR", 45, &condor)?;
    t.roll(&mut second, later, 1)?;
    t.wait_until(date(2030, 8, 21), 11, 30)?;
    t.close(&second, 1)?;
    t.wait_until(date(2030, 8, 30), 16, 0)
}
