//! The demo account, made by a scripted trader who sends orders through the exchange while the world
//! runs. Nothing is typed into the books: every number comes from a fill.

use desk::calendar::open_of;
use desk::{Kind, Leg, Link, Moment, Money, Order, Price, Pricing, Request, Structure, TimeInForce, package_quote};
use jiff::civil::{Date, date};
use market::{DEMO_DAY, Quoter, contract, strikes};

use crate::refusal::Refusal;
use crate::state::{Desk, State};

/// The seed of the demo world.
pub const DEMO_SEED: u64 = 20_310_311;

/// First day of the demo account.
pub const FIRST_DAY: Date = date(2031, 2, 18);

/// When the account is opened.
pub fn opening() -> Moment {
    open_of(FIRST_DAY)
}

/// The moment the demo begins at.
pub fn present() -> Moment {
    Moment::at(DEMO_DAY, 10, 42)
}

/// One leg by delta: the strike whose delta lies nearest.
struct Pick {
    kind: Kind,
    delta: f64,
    quantity: i64,
}

/// A leg picked by the size of its delta.
fn pick(kind: Kind, delta: f64, quantity: i64) -> Pick {
    Pick { kind, delta, quantity }
}

struct Trader<'a> {
    desk: &'a mut Desk,
    quoter: Quoter,
    tickets: u32,
}

impl Trader<'_> {
    fn state(&self) -> State {
        self.desk.state().clone()
    }

    fn wait_until(&mut self, day: Date, hour: i64, minute: i64) -> Result<(), Refusal> {
        self.desk.advance(Moment::at(day, hour, minute), true)
    }

    /// Legs on the first expiration at least `days` out.
    fn structure(&mut self, symbol: &str, days: i64, picks: &[Pick]) -> Result<Structure, Refusal> {
        let state = self.state();
        let at = state.clock.now;
        let monthly = |e: &desk::Expiration| e.cycle != desk::Cycle::Weekly && at.days_until(e.date) >= days;
        let mut legs = Vec::new();
        if let Some(e) = state.world.expirations(symbol, at).into_iter().flatten().find(monthly) {
            for p in picks {
                let listed = strikes(&state.world, symbol, &e, at).into_iter().filter_map(|k| contract(&state.world, symbol, &e, p.kind, k));
                let mut best = None;
                for c in listed {
                    let Some(q) = self.quoter.quote(&state.world, &c, at) else { continue };
                    let off = (q.delta.abs() - p.delta).abs();
                    if best.as_ref().is_none_or(|(least, _)| off < *least) {
                        best = Some((off, c));
                    }
                }
                legs.extend(best.map(|(_, c)| Leg { contract: c, quantity: p.quantity }));
            }
        }
        Ok(Structure::new(legs)?)
    }

    /// Sends an order at a share of the way from rest (0) to cross (1).
    fn send(&mut self, symbol: &str, unit: Structure, quantity: i64, share: f64, gtc: bool, closes: Option<u64>) -> Result<Order, Refusal> {
        let state = self.state();
        let quotes: Vec<_> = unit
            .legs()
            .iter()
            .map(|l| {
                self.quoter.quote(&state.world, &l.contract, state.clock.now).map(|q| q.quote).ok_or_else(|| Refusal::NoQuote(l.contract.clone()))
            })
            .collect::<Result<_, _>>()?;
        let ticks = crate::state::known(&state, symbol)?.package_ticks(quotes.len());
        let q = package_quote(&unit, &quotes, &ticks);
        let wanted = q.rest + Price::from_f64((q.cross - q.rest).to_f64() * share).unwrap_or_default();
        self.tickets += 1;
        self.desk.place(Request {
            client_id: format!("demo-{}", self.tickets),
            symbol: symbol.into(),
            unit,
            quantity,
            pricing: Pricing::Limit(ticks.floor(wanted)),
            trigger: None,
            link: Link::default(),
            time_in_force: if gtc { TimeInForce::GoodTillCancelled } else { TimeInForce::Day },
            closes,
        })
    }
}

/// Opens the account and trades it up to the present moment of the demo.
pub fn trade(desk: &mut Desk) -> Result<(), Refusal> {
    use Kind::{Call, Put};
    desk.deposit(Money::whole(60_000))?;
    let mut t = Trader { desk, quoter: Quoter::new(), tickets: 0 };

    t.wait_until(FIRST_DAY, 10, 5)?;
    let condor = t.structure("WXMR", 45, &[pick(Put, 0.10, 1), pick(Put, 0.16, -1), pick(Call, 0.16, -1), pick(Call, 0.10, 1)])?;
    t.send("WXMR", condor, 1, 1.0, false, None)?;

    t.wait_until(date(2031, 2, 20), 11, 20)?;
    let bull_put = t.structure("TLVN", 45, &[pick(Put, 0.15, 1), pick(Put, 0.30, -1)])?;
    let tolvane = t.send("TLVN", bull_put.clone(), 4, 1.0, true, None)?;

    t.wait_until(date(2031, 2, 25), 14, 45)?;
    let straddle = t.structure("WXMT", 20, &[pick(Call, 0.50, 1), pick(Put, 0.50, 1)])?;
    let trust = t.send("WXMT", straddle.clone(), 1, 1.0, false, None)?;

    t.wait_until(date(2031, 3, 3), 13, 10)?;
    t.send("WXMT", straddle.turned().unit(), 1, 1.0, false, Some(trust.id))?;

    t.wait_until(date(2031, 3, 5), 10, 30)?;
    t.send("TLVN", bull_put.turned().unit(), 2, 1.0, false, Some(tolvane.id))?;
    let bear_call = t.structure("NMOU", 30, &[pick(Call, 0.30, -1), pick(Call, 0.18, 1)])?;
    t.send("NMOU", bear_call, 2, 1.0, false, None)?;

    t.wait_until(DEMO_DAY, 9, 50)?;
    let far_put = t.structure("NMOU", 60, &[pick(Put, 0.12, 1), pick(Put, 0.22, -1)])?;
    t.send("NMOU", far_put, 1, -0.9, true, None)?;
    t.desk.advance(present(), true)
}
