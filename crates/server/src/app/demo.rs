//! The demo account, made by a scripted trader who sends orders through the exchange while the
//! world runs. Nothing is typed into the books: every number comes from a fill.

use desk::calendar::{next_session, open_of};
use desk::rules::{Condition, Measure, Rule, Scope, Side};
use desk::{
    BellSide, Cycle, Decimal, Expiration, Instrument, Kind, Leg, Level, Link, Listens, Moment,
    Money, Order, OwnDate, Package, Price, Pricing, Purpose, Request, Said, SaidOf, Structure,
    TimeInForce, Trigger, TriggerSide, package_quote,
};
use engine::commands::bells::Wanted;
use engine::{Engine, Refusal, State};
use jiff::civil::{Date, date};
use market::{DEMO_DAY, Quoter, contract, strikes};

/// The seed of the demo world.
pub const DEMO_SEED: u64 = 20_310_311;

/// First day of the demo account: fourteen months before the demo moment.
pub const FIRST_DAY: Date = date(2030, 1, 7);

/// When the account is opened.
pub fn opening() -> Moment {
    open_of(FIRST_DAY)
}

/// The moment the demo begins at.
pub fn present() -> Moment {
    Moment::at(DEMO_DAY, 10, 42)
}

/// One leg by delta: the strike whose delta lies nearest.
pub(super) struct Pick {
    kind: Kind,
    delta: f64,
    quantity: i64,
}

/// A leg picked by the size of its delta.
pub(super) const fn pick(kind: Kind, delta: f64, quantity: i64) -> Pick {
    Pick {
        kind,
        delta,
        quantity,
    }
}

/// Who sends the orders.
pub(super) struct Trader<'a> {
    desk: &'a mut Engine,
    quoter: Quoter,
    tickets: u32,
}

impl<'a> Trader<'a> {
    /// A trader at a desk.
    pub fn new(desk: &'a mut Engine) -> Self {
        Trader {
            desk,
            quoter: Quoter::new(),
            tickets: 0,
        }
    }

    fn state(&self) -> State {
        self.desk.state().clone()
    }

    pub fn wait_until(&mut self, day: Date, hour: i64, minute: i64) -> Result<(), Refusal> {
        self.desk.advance(Moment::at(day, hour, minute))
    }

    /// The first expiration at least `days` out, of a weekday's cycle only where asked for.
    fn expiration(&self, symbol: &str, days: i64, weekly: bool) -> Option<Expiration> {
        let state = self.desk.state();
        let at = state.clock.now;
        state
            .world
            .expirations(symbol, at)?
            .into_iter()
            .find(|e| (weekly || e.cycle != Cycle::Weekly) && at.days_until(e.date) >= days)
    }

    /// Legs on the first monthly at least `days` out, by delta.
    pub fn structure(
        &mut self,
        symbol: &str,
        days: i64,
        picks: &[Pick],
    ) -> Result<Package, Refusal> {
        let state = self.state();
        let at = state.clock.now;
        let mut legs = Vec::new();
        if let (Some(e), Some(u)) = (
            self.expiration(symbol, days, false),
            state.world.underlying(symbol),
        ) {
            let chain = self.quoter.chain(&state.world, u, &e, at);
            for p in picks {
                let off = |delta: f64| (delta.abs() - p.delta).abs();
                let kind = chain.iter().filter(|(c, _)| c.kind == p.kind);
                let nearest = kind.min_by(|(_, a), (_, b)| off(a.delta).total_cmp(&off(b.delta)));
                legs.extend(nearest.map(|(c, _)| Leg::option(c.clone(), p.quantity)));
            }
        }
        Ok(Package::new(legs)?)
    }

    /// One leg at the listed strike nearest to a price.
    fn leg(
        &self,
        symbol: &str,
        expiration: Option<&Expiration>,
        kind: Kind,
        strike: f64,
        quantity: i64,
    ) -> Option<Leg> {
        let state = self.desk.state();
        let e = expiration?;
        let listed = strikes(&state.world, symbol, e, state.clock.now);
        let nearest = listed.into_iter().min_by(|a, b| {
            (a.to_f64() - strike)
                .abs()
                .total_cmp(&(b.to_f64() - strike).abs())
        })?;
        Some(Leg::option(
            contract(&state.world, symbol, e, kind, nearest)?,
            quantity,
        ))
    }

    /// Opens at the cross, so that it fills at once.
    pub fn open(
        &mut self,
        symbol: &str,
        unit: Package,
        quantity: i64,
    ) -> Result<Campaign, Refusal> {
        let order = self.send(symbol, unit, quantity, 1.0, false, Purpose::Open)?;
        Ok(Campaign {
            symbol: symbol.to_owned(),
            unit: order.request.unit.clone(),
            order,
        })
    }

    /// Shares, or options against them, as one package.
    fn with_shares(&self, symbol: &str, shares: i64, options: Package) -> Result<Package, Refusal> {
        let own = Leg {
            instrument: Instrument::Underlying(symbol.to_owned()),
            quantity: shares,
        };
        Ok(Package::new(options.legs().iter().cloned().chain([own]))?)
    }

    /// Closes a campaign's legs and opens others in it, in one order at the cross.
    pub fn roll(
        &mut self,
        campaign: &mut Campaign,
        to: Package,
        quantity: i64,
    ) -> Result<(), Refusal> {
        let legs = campaign
            .unit
            .reversed()
            .legs()
            .iter()
            .chain(to.legs())
            .cloned()
            .collect::<Vec<_>>();
        let both = Package::new(legs)?;
        let id = campaign.order.id;
        let order = self.send(
            &campaign.symbol.clone(),
            both,
            quantity,
            1.0,
            false,
            Purpose::Roll(id),
        )?;
        if order.state() != desk::OrderState::Filled {
            return Err(Refusal::NoOrder(order.id));
        }
        campaign.unit = to;
        Ok(())
    }

    /// An order that waits to close a campaign.
    fn exit(
        &mut self,
        campaign: &Campaign,
        quantity: i64,
        pricing: Pricing,
        trigger: Option<Trigger>,
    ) -> Result<(), Refusal> {
        self.tickets += 1;
        let request = Request {
            client_id: format!("demo-{}", self.tickets),
            symbol: campaign.symbol.clone(),
            unit: campaign.unit.reversed(),
            quantity,
            pricing,
            trigger,
            link: Link::default(),
            time_in_force: TimeInForce::GoodTillCancelled,
            purpose: Purpose::Close(campaign.order.id),
            closing: Vec::new(),
        };
        self.desk.place(request).map(drop)
    }

    /// Closes so many packages of a campaign at the cross.
    pub fn close(&mut self, campaign: &Campaign, quantity: i64) -> Result<(), Refusal> {
        self.send(
            &campaign.symbol,
            campaign.unit.reversed(),
            quantity,
            1.0,
            false,
            Purpose::Close(campaign.order.id),
        )
        .map(drop)
    }

    /// Sends an order at a share of the way from rest (0) to cross (1).
    fn send(
        &mut self,
        symbol: &str,
        unit: Package,
        quantity: i64,
        share: f64,
        gtc: bool,
        purpose: Purpose,
    ) -> Result<Order, Refusal> {
        let state = self.state();
        let quotes: Vec<_> = unit
            .legs()
            .iter()
            .map(|l| {
                self.quoter
                    .quote_any(&state.world, &l.instrument, state.clock.now)
                    .ok_or_else(|| Refusal::NoQuote(l.instrument.clone()))
            })
            .collect::<Result<_, _>>()?;
        let underlying = engine::state::underlying_of(&state, symbol)?;
        let (ticks, q) = (
            underlying.ticks_of(&unit),
            package_quote(&unit, &quotes, underlying),
        );
        let wanted =
            q.rest + Price::from_f64((q.cross - q.rest).to_f64() * share).unwrap_or_default();
        self.tickets += 1;
        self.desk.place(Request {
            client_id: format!("demo-{}", self.tickets),
            symbol: symbol.into(),
            unit,
            quantity,
            pricing: Pricing::Limit(ticks.floor(wanted)),
            trigger: None,
            link: Link::default(),
            time_in_force: if gtc {
                TimeInForce::GoodTillCancelled
            } else {
                TimeInForce::Day
            },
            purpose,
            closing: Vec::new(),
        })
    }
}

/// One rule of the trader's: for all or for something, what is looked at, on which side, the limit,
/// and how far it goes back before it rings again; both in hundredths.
struct MyRule(Scope, Measure, Side, i64, i64);

/// The trader's rules.
fn my_rules() -> [MyRule; 8] {
    let of = Scope::Structure;
    let strangles = || of(Structure::Strangle);
    [
        MyRule(Scope::All, Measure::ProfitOfMax, Side::Above, 75_00, 10_00),
        MyRule(Scope::All, Measure::LossOfCredit, Side::Above, 1_75, 30),
        MyRule(
            of(Structure::Condor),
            Measure::ToSoldStrike,
            Side::Below,
            55,
            15,
        ),
        MyRule(
            Scope::Symbol("TNYBM1".into()),
            Measure::DaysLeft,
            Side::Below,
            17_00,
            0,
        ),
        MyRule(strangles(), Measure::EarningsIn, Side::Below, 1_00, 0),
        MyRule(
            of(Structure::Covered),
            Measure::ExDateIn,
            Side::Below,
            8_00,
            0,
        ),
        MyRule(Scope::All, Measure::Lean, Side::Above, 40_00, 10_00),
        MyRule(Scope::All, Measure::OneSymbol, Side::Above, 35_00, 5_00),
    ]
}

/// What was opened, to be closed later.
pub(super) struct Campaign {
    symbol: String,
    unit: Package,
    order: Order,
}

/// A year of small monthly trades, each closed after some three weeks: what fills the ledger.
const YEAR: [(&str, [Pick; 2], i64); 6] = [
    (
        "WXMT",
        [pick(Kind::Put, 0.14, 1), pick(Kind::Put, 0.28, -1)],
        2,
    ),
    (
        "NMOU",
        [pick(Kind::Call, 0.15, 1), pick(Kind::Call, 0.27, -1)],
        2,
    ),
    (
        "SMLX",
        [pick(Kind::Put, 0.16, 1), pick(Kind::Put, 0.30, -1)],
        3,
    ),
    (
        "TKZR",
        [pick(Kind::Put, 0.15, 1), pick(Kind::Put, 0.27, -1)],
        2,
    ),
    (
        "OSKV",
        [pick(Kind::Call, 0.16, 1), pick(Kind::Call, 0.28, -1)],
        2,
    ),
    (
        "TLVN",
        [pick(Kind::Put, 0.15, 1), pick(Kind::Put, 0.29, -1)],
        4,
    ),
];

/// Why the year's trades were made, in turn, and the tag of each.
const WHY: [(&str, &str); 4] = [
    ("The month's premium, far enough away to sleep", "income"),
    ("Volatility stands high for what moves", "rich"),
    ("The chart looks tired; selling into it", "view"),
    ("Nothing better around", "bored"),
];

fn a_year(t: &mut Trader<'_>) -> Result<(), Refusal> {
    let mut day = FIRST_DAY;
    for month in 0..12 {
        let mut opened = Vec::new();
        for trade in 0..2 {
            let (symbol, picks, quantity) = &YEAR[(month + 3 * trade) % YEAR.len()];
            t.wait_until(day, 10, 30)?;
            let unit = t.structure(symbol, 38, picks)?;
            let campaign = t.open(symbol, unit, *quantity)?;
            let (why, tag) = WHY[(month + trade) % WHY.len()];
            let said = Said::new(why, [tag.to_owned()]);
            let said = said.map_err(|message| Refusal::Field {
                field: "why",
                message,
            })?;
            t.desk.say(SaidOf::Order(campaign.order.id), said)?;
            opened.push((campaign, *quantity));
            day = sessions_after(day, 3);
        }
        day = sessions_after(day, 11);
        t.wait_until(day, 14, 0)?;
        for (campaign, quantity) in &opened {
            t.close(campaign, *quantity)?;
        }
        day = sessions_after(day, 4);
    }
    Ok(())
}

fn sessions_after(day: Date, count: usize) -> Date {
    (0..count).fold(day, |d, _| next_session(d))
}

/// The rules that the trader lives by.
fn rule_myself(t: &mut Trader<'_>) -> Result<(), Refusal> {
    for MyRule(scope, measure, side, limit, again) in my_rules() {
        let hundredths = |n: i64| Decimal::from_raw(n * Decimal::SCALE / 100);
        let condition = Condition {
            measure,
            side,
            limit: hundredths(limit),
        };
        let rule = Rule {
            id: 0,
            scope,
            condition,
            again: Some(hundredths(again)),
            on: true,
        };
        t.desk.set_rule(None, rule)?;
    }
    Ok(())
}

/// What is opened in March: a butterfly, a calendar and a straddle.
fn in_march(t: &mut Trader<'_>) -> Result<(), Refusal> {
    use Kind::{Call, Put};
    // A put butterfly on the index with one wing longer than the other, for a credit.
    t.wait_until(date(2031, 3, 3), 13, 10)?;
    let monthly = t.expiration("WXMR", 40, false);
    let wing = |t: &Trader<'_>, strike: f64, quantity: i64| {
        t.leg("WXMR", monthly.as_ref(), Put, strike, quantity)
    };
    let broken: Vec<Leg> = [
        wing(t, 2_850.0, 1),
        wing(t, 2_800.0, -2),
        wing(t, 2_700.0, 1),
    ]
    .into_iter()
    .flatten()
    .collect();
    t.open("WXMR", Package::new(broken)?, 1)?;

    // A calendar across the results: what ends before them is sold, what ends behind is bought.
    t.wait_until(date(2031, 3, 7), 14, 45)?;
    let (near, far) = (
        t.expiration("NMOU", 5, true),
        t.expiration("NMOU", 20, true),
    );
    let calendar: Vec<Leg> = [
        t.leg("NMOU", near.as_ref(), Call, 190.0, -1),
        t.leg("NMOU", far.as_ref(), Call, 190.0, 1),
    ]
    .into_iter()
    .flatten()
    .collect();
    t.open("NMOU", Package::new(calendar)?, 2)?;
    // Results tomorrow after the close: a straddle bought on the eve.
    t.wait_until(date(2031, 3, 10), 15, 20)?;
    let week = t.expiration("BRLW", 3, true);
    let straddle: Vec<Leg> = [Call, Put]
        .into_iter()
        .filter_map(|kind| t.leg("BRLW", week.as_ref(), kind, 38.0, 1))
        .collect();
    t.open("BRLW", Package::new(straddle)?, 2)?;
    Ok(())
}

/// Opens the account and trades it up to the present moment of the demo.
///
/// # Errors
/// An order of the script is refused: the market is not the one it was written for.
pub fn trade(desk: &mut Engine) -> Result<(), Refusal> {
    use Kind::{Call, Put};
    desk.deposit(Money::whole(61_500))?;
    let mut t = Trader::new(desk);
    a_year(&mut t)?;

    // The campaigns that are open at the demo moment, and how they came about.
    // Shares with a put that protects two thirds of them.
    t.wait_until(date(2031, 1, 21), 11, 5)?;
    let put = t.structure("OSKV", 85, &[pick(Put, 0.30, 1)])?;
    let protected = t.with_shares("OSKV", 150, put)?;
    t.open("OSKV", protected, 1)?;

    t.wait_until(date(2031, 2, 3), 9, 45)?;
    rule_myself(&mut t)?;

    t.wait_until(date(2031, 2, 5), 10, 20)?;
    let calls = [pick(Call, 0.30, -1), pick(Call, 0.25, 1)];
    let unit = t.structure("ZORV", 40, &calls)?;
    let mut zorvane = t.open("ZORV", unit, 1)?;

    // Shares bought and a call sold against them: the ex-date lies two days before its end.
    t.wait_until(date(2031, 2, 11), 10, 40)?;
    let call = t.structure("TLVN", 38, &[pick(Call, 0.38, -1)])?;
    let covered = t.with_shares("TLVN", 100, call)?;
    t.open("TLVN", covered, 1)?;

    t.wait_until(date(2031, 2, 12), 10, 5)?;
    let condor = t.structure(
        "VXLO",
        60,
        &[
            pick(Put, 0.11, 1),
            pick(Put, 0.17, -1),
            pick(Call, 0.17, -1),
            pick(Call, 0.12, 1),
        ],
    )?;
    let pressed = t.open("VXLO", condor, 1)?;
    let puts = t.structure("TKZR", 60, &[pick(Put, 0.13, 1), pick(Put, 0.24, -1)])?;
    let trust = t.open("TKZR", puts, 3)?;

    // The price runs over the call vertical: rolled higher and later, twice.
    t.wait_until(date(2031, 2, 18), 11, 0)?;
    let to = t.structure("ZORV", 50, &calls)?;
    t.roll(&mut zorvane, to, 1)?;
    // A strangle sold on the June bond, in options that end with March.
    t.wait_until(date(2031, 2, 20), 11, 20)?;
    let strangle = t.structure("TNYBM1", 30, &[pick(Put, 0.18, -1), pick(Call, 0.18, -1)])?;
    t.open("TNYBM1", strangle, 2)?;
    t.wait_until(date(2031, 2, 26), 11, 0)?;
    let to = t.structure("ZORV", 60, &calls)?;
    t.roll(&mut zorvane, to, 1)?;

    in_march(&mut t)?;
    t.desk.add_date(OwnDate {
        id: 0,
        date: date(2031, 3, 21),
        what: "OSKV: keep the shares beyond the put, or let them go".into(),
        campaign: None,
    })?;
    t.desk.note_day(
        date(2031, 3, 10),
        "Calm day. Bought the BRLW straddle late: the move priced for tomorrow looks small.".into(),
    )?;
    // What rang in the past is answered; two prices are listened to, one of them near.
    t.desk.answer_bells(None)?;
    t.wait_until(DEMO_DAY, 9, 40)?;
    let spot = |desk: &Engine, symbol: &str| engine::state::spot_of(desk.state(), symbol);
    let on = |symbol: &str, side, level| {
        Wanted::once(Listens::Price {
            symbol: symbol.to_owned(),
            unit: None,
            side,
            level,
        })
    };
    t.desk
        .set_bell(on("NMOU", BellSide::Above, Price::cents(19_500)))?;
    let near = Price::cents(spot(t.desk, "VXLO").raw() / Price::cents(100).raw() * 100 + 100);
    t.desk.set_bell(on("VXLO", BellSide::Above, near))?;
    // Three orders wait: a new trade beyond the market, a target, and a stop.
    t.wait_until(DEMO_DAY, 9, 50)?;
    let far_put = t.structure("NMOU", 60, &[pick(Put, 0.12, 1), pick(Put, 0.22, -1)])?;
    t.send("NMOU", far_put, 1, -0.9, true, Purpose::Open)?;
    t.exit(&trust, 3, Pricing::Limit(Price::cents(20)), None)?;
    // Three times what was received for it.
    let received: Price = pressed.order.fills().map(|f| -f.price).sum();
    let stop = Trigger {
        side: TriggerSide::Mark,
        level: Level::At(received * 3),
    };
    t.exit(&pressed, 1, Pricing::Market, Some(stop))?;
    t.desk.advance(present())
}
