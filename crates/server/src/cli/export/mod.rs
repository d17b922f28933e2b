//! `pikebell export`: the market at any moment of the world, or of a market from files, as CSV (RFC
//! 4180).

use std::fs::File;
use std::io::{BufWriter, Write};
use std::path::PathBuf;

use clap::{Args, Subcommand};
use desk::calendar::close_of;
use desk::{
    Carry, Cycle, Expiration, Kind, MarginClass, Moment, Price, PriceStyle, Settlement, Style,
    UnderlyingKind,
};
use engine::sight::vol30;
use jiff::civil::{Date, DateTime};
use market::{AnnouncedKind, DEMO_DAY, Doubt, FIRST, LAST, Quoter, UnderlyingAt, World};
use server::demo::DEMO_SEED;
use server::folder;

mod view;
use view::chosen;

/// What to write.
#[derive(Debug, Subcommand)]
pub enum Export {
    /// Every listed option with its market.
    #[command(after_long_help = CHAIN_HELP)]
    Chain(Listed),
    /// Daily bars up to the moment.
    #[command(after_long_help = BARS_HELP)]
    Bars(Bars),
    /// The volatility surface behind the chain.
    #[command(after_long_help = SURFACE_HELP)]
    Surface(Listed),
    /// What the symbol does not say: kind, style, settlement, multiplier, steps, fees.
    #[command(after_long_help = INSTRUMENT_HELP)]
    Instrument(At),
    /// The listed expirations.
    #[command(after_long_help = EXPIRATIONS_HELP)]
    Expirations(At),
    /// The volatility of thirty days at each close, which its rank is taken from.
    #[command(after_long_help = VOLATILITY_HELP)]
    Volatility(Bars),
    /// Earnings, decisions and dividends, past and announced.
    #[command(after_long_help = EVENTS_HELP)]
    Events(Events),
}

/// Of what, and when.
#[derive(Debug, Args)]
pub struct At {
    /// Symbol of the underlying.
    #[arg(long)]
    symbol: String,
    /// Exchange time, as 2031-03-11T10:42, or a date for its close; when absent the demo's moment,
    /// of a market from files the last that was recorded.
    #[arg(long)]
    at: Option<String>,
    /// Seed of the world.
    #[arg(long, default_value_t = DEMO_SEED)]
    seed: u64,
    /// Folder of a market of one's own (see `import`), beside the simulated one.
    #[arg(long, value_name = "FOLDER")]
    market: Option<PathBuf>,
    /// File to write; standard output when absent.
    #[arg(long = "out", value_name = "FILE")]
    output: Option<PathBuf>,
}

/// Of which expirations.
#[derive(Debug, Args)]
pub struct Listed {
    /// Of what, and when.
    #[command(flatten)]
    at: At,
    /// An expiration, as 2031-04-18; may be repeated; all of them when absent.
    #[arg(long)]
    expiry: Vec<String>,
    /// Those of one root alone, such as WXMRW.
    #[arg(long)]
    root: Option<String>,
}

/// Of what, from when to when.
#[derive(Debug, Args)]
pub struct Bars {
    /// What and until when.
    #[command(flatten)]
    at: At,
    /// First date; the beginning of the history when absent.
    #[arg(long)]
    from: Option<String>,
}

/// Of what, from when on, as known when.
#[derive(Debug, Args)]
pub struct Events {
    /// What, and what was announced by when.
    #[command(flatten)]
    at: At,
    /// First date; the beginning of the history when absent.
    #[arg(long)]
    from: Option<String>,
}

const CHAIN_HELP: &str = "\
Columns, one row for each contract, expirations and strikes ascending:
  contract       OCC symbol, 21 characters, padded
  underlying     symbol
  at             moment of the quotes, RFC 3339
  spot           price of the underlying
  expiry         date
  kind           call | put
  strike         per unit
  bid, ask       per unit; bid empty when nobody bids
  bid_size, ask_size, volume, open_interest   contracts
  last           last trade of the session; empty when there was none
  theoretical    model value per unit
  delta          per unit of the underlying
  iv             volatility a year of the middle, as a fraction; empty where it means nothing";
const BARS_HELP: &str = "\
Columns, one row for each session, oldest first; the running session counts as far as it has come:
  symbol, date, open, high, low, close, volume (units of the underlying)";
const SURFACE_HELP: &str = "\
Columns, one row for each listed strike:
  underlying, at, expiry
  t_years        years of 365 days to expiry
  forward, rate  forward price; interest to expiry, continuously compounded
  strike         per unit
  log_moneyness  ln(strike/forward)
  vol            volatility a year, as a fraction
  total_variance vol² × t_years";

const INSTRUMENT_HELP: &str = "\
Columns name, value; one row for each of
  name, kind (shares | index | future), style (american | european), settlement (delivery | cash),
  multiplier     units of the underlying to a contract
  tick           step of an option below any bound
  prices         decimal | eighths | 64ths
  dividend_yield a year, continuous; 0 where cash is paid on dates (see `export events`)
  sector         empty where it has none
  opening_root   root whose options settle on opening prints; empty where none
  package_tick   step of a net price
  fee_option     for each contract traded
  fee_future     for each future traded";
const EXPIRATIONS_HELP: &str = "\
Columns, one row for each listed expiration, ascending:
  root           under which its contracts trade
  expiry         date
  ends           moment of its end, RFC 3339
  settles        opening | close
  kind           weekly | monthly | quarterly | long
  days           calendar days between the dates
  t_years        years of 365 days
  rate, yield    continuously compounded
  forward        price of the underlying carried to its end
  atm_vol        volatility of its surface at the forward, a year, as a fraction; of a market from
                 files the total variance of the two listed strikes around the forward, linear in
                 log-moneyness, each by its option out of the money; empty where one has none";
const EVENTS_HELP: &str = "\
Columns, one row for each event, ascending; nothing that is announced after the moment:
  date           of earnings and decisions the day after whose close they are told
  kind           earnings | decision | ex-dividend
  what           in words
  cash           of a dividend, on a share; empty elsewhere
  known          opening at which the outcome is known, RFC 3339
A market from files has none yet.";

const VOLATILITY_HELP: &str = "\
Columns, one row for each close up to the moment, oldest first, and one for the moment itself:
  at             RFC 3339
  vol30          volatility a year at the money over the thirty days ahead, as a fraction
Of a market from files sessions without a chain are left out.";

/// A market opened at a moment, and an underlying of it.
pub(super) struct Opened {
    world: World,
    symbol: String,
    moment: Moment,
}

impl Opened {
    /// What is read of it.
    pub fn view(&self) -> UnderlyingAt<'_> {
        // It was found when the market was opened.
        let underlying = self.world.underlying(&self.symbol);
        UnderlyingAt {
            world: &self.world,
            underlying: underlying.expect("a symbol that was found"),
            at: self.moment,
        }
    }
}

/// Opens what is asked for.
pub(super) fn opened(at: &At) -> Result<Opened, String> {
    let (world, last) = world_of(at)?;
    let moment = match (&at.at, last) {
        (Some(text), last) => moment("at", text, last.is_some())?,
        (None, Some(last)) => last,
        (None, None) => server::demo::present(),
    };
    if world.underlying(&at.symbol).is_none() {
        let known: Vec<&str> = world
            .underlyings(moment)
            .map(|u| u.symbol.as_str())
            .collect();
        return Err(format!(
            "--symbol {:?} is not known; known: {}",
            at.symbol,
            known.join(", ")
        ));
    }
    Ok(Opened {
        world,
        symbol: at.symbol.clone(),
        moment,
    })
}

impl At {
    /// Where the answer goes.
    pub(super) fn output(&self) -> Result<Box<dyn Write>, String> {
        Ok(match &self.output {
            Some(path) => Box::new(BufWriter::new(
                File::create(path).map_err(|e| format!("{}: {e}", path.display()))?,
            )),
            None => Box::new(BufWriter::new(std::io::stdout().lock())),
        })
    }
}

/// Writes one export.
pub fn run(what: &Export) -> Result<(), String> {
    let at = match what {
        Export::Chain(listed) | Export::Surface(listed) => &listed.at,
        Export::Bars(bars) | Export::Volatility(bars) => &bars.at,
        Export::Instrument(at) | Export::Expirations(at) => at,
        Export::Events(events) => &events.at,
    };
    let opened = opened(at)?;
    let view = opened.view();
    let chosen = match what {
        Export::Chain(listed) | Export::Surface(listed) => chosen(&view, listed)?,
        _ => view.expirations(),
    };
    let from = match what {
        Export::Bars(Bars { from, .. })
        | Export::Volatility(Bars { from, .. })
        | Export::Events(Events { from, .. }) => from.as_deref(),
        _ => None,
    };
    let from = from.map(|text| date("from", text)).transpose()?;
    let output = at.output()?;
    let mut table = csv::WriterBuilder::new()
        .terminator(csv::Terminator::CRLF)
        .from_writer(output);
    let written = match what {
        Export::Chain(_) => chain(&view, &chosen, &mut table),
        Export::Surface(_) => surface(&view, &chosen, &mut table),
        Export::Bars(_) => bars(&view, from.unwrap_or(Date::MIN), &mut table),
        Export::Volatility(_) => volatility(&view, from.unwrap_or(Date::MIN), &mut table),
        Export::Instrument(_) => instrument(&view, &mut table),
        Export::Expirations(_) => expirations(&view, &chosen, &mut table),
        Export::Events(_) => events(&view, from.unwrap_or(Date::MIN), &mut table),
    };
    written
        .and_then(|()| table.flush().map_err(csv::Error::from))
        .map_err(|e| format!("writing: {e}"))
}

/// The world, with a market from files beside it where one is named; and the last moment that was
/// recorded of the symbol, where it is from files.
fn world_of(at: &At) -> Result<(World, Option<Moment>), String> {
    let world = World::new(at.seed);
    let Some(folder) = &at.market else {
        return Ok((world, None));
    };
    let (world, opened) = with_market(world, folder, &at.symbol)?;
    let own = opened
        .recorded
        .iter()
        .find(|r| r.underlying.symbol == at.symbol);
    let last = match own {
        Some(r) => Some(r.last_moment().ok_or_else(|| {
            format!(
                "--market {}: nothing is recorded of {}; import a chain or bars first",
                folder.display(),
                at.symbol
            )
        })?),
        None => None,
    };
    Ok((world, last))
}

/// A world of a market from files alone where that has a symbol, and with it beside the simulated one
/// otherwise; what is wrong in its files is told on standard error.
pub fn with_market(
    world: World,
    folder: &std::path::Path,
    symbol: &str,
) -> Result<(World, std::sync::Arc<folder::Opened>), String> {
    let opened = folder::open(folder)?;
    for wrong in &opened.wrong {
        eprintln!("{wrong}");
    }
    let recorded = opened.recorded.clone();
    let world = if recorded.iter().any(|r| r.underlying.symbol == symbol) {
        world.of_own(recorded, opened.own.clone())
    } else {
        world.with_recorded(recorded)
    };
    Ok((world, opened))
}

fn date(name: &str, text: &str) -> Result<Date, String> {
    text.parse()
        .map_err(|_| format!("--{name} {text:?} is not a date; write it like {DEMO_DAY}"))
}

/// A moment of the world; of a market from files any.
fn moment(name: &str, text: &str, recorded: bool) -> Result<Moment, String> {
    let wrong = || {
        format!(
            "--{name} {text:?} is not a moment; write it like {DEMO_DAY}T10:42, or {DEMO_DAY} for \
             its close"
        )
    };
    let moment = if text.contains('T') {
        let t: DateTime = text.parse().map_err(|_| wrong())?;
        Moment::at(t.date(), i64::from(t.hour()), i64::from(t.minute()))
            .plus_millis(i64::from(t.second()) * 1_000)
    } else {
        close_of(text.parse().map_err(|_| wrong())?)
    };
    if !recorded && (moment.date() < FIRST || moment.date() > LAST) {
        return Err(format!(
            "--{name} {text:?} lies outside the world; choose a date from {FIRST} to {LAST}"
        ));
    }
    Ok(moment)
}

type Table = csv::Writer<Box<dyn Write>>;

/// A count as a field; empty where it is not known.
fn count(n: Option<i64>) -> String {
    n.map_or_else(String::new, |n| n.to_string())
}

fn chain(
    view: &UnderlyingAt<'_>,
    chosen: &[Expiration],
    table: &mut Table,
) -> Result<(), csv::Error> {
    table.write_record([
        "contract",
        "underlying",
        "at",
        "spot",
        "expiry",
        "kind",
        "strike",
        "bid",
        "ask",
        "bid_size",
        "ask_size",
        "last",
        "volume",
        "open_interest",
        "theoretical",
        "delta",
        "iv",
    ])?;
    let mut quoter = Quoter::new();
    let Some(spot) = view.world.spot(view.symbol(), view.at) else {
        return Ok(());
    };
    for e in chosen {
        let whole = quoter.whole_chain(view.world, view.underlying, e, view.at);
        // What was not seen is not written.
        let seen = whole
            .into_iter()
            .filter(|(_, l)| l.doubt != Some(Doubt::Missing));
        for (c, l) in seen {
            let q = &l.quote;
            table.write_record([
                c.to_string(),
                view.symbol().to_owned(),
                view.at.to_string(),
                spot.to_string(),
                c.expiry.to_string(),
                if c.kind == Kind::Call { "call" } else { "put" }.to_owned(),
                c.strike.to_string(),
                if q.bid > Price::ZERO {
                    q.bid.to_string()
                } else {
                    String::new()
                },
                q.ask.to_string(),
                count(q.bid_size),
                count(q.ask_size),
                l.last.map_or_else(String::new, |p| p.to_string()),
                count(q.volume),
                count(q.open_interest),
                l.theoretical.to_string(),
                l.delta.to_string(),
                l.implied.map_or_else(String::new, |v| v.to_string()),
            ])?;
        }
    }
    Ok(())
}

fn bars(view: &UnderlyingAt<'_>, from: Date, table: &mut Table) -> Result<(), csv::Error> {
    table.write_record(["symbol", "date", "open", "high", "low", "close", "volume"])?;
    for b in view.world.bars(view.symbol(), from, view.at) {
        let prices = [b.open, b.high, b.low, b.close].map(|p| p.to_string());
        table.write_record(
            [view.symbol().to_owned(), b.date.to_string()]
                .into_iter()
                .chain(prices)
                .chain([b.volume.to_string()]),
        )?;
    }
    Ok(())
}

fn surface(
    view: &UnderlyingAt<'_>,
    chosen: &[Expiration],
    table: &mut Table,
) -> Result<(), csv::Error> {
    table.write_record([
        "underlying",
        "at",
        "expiry",
        "t_years",
        "forward",
        "rate",
        "strike",
        "log_moneyness",
        "vol",
        "total_variance",
    ])?;
    for e in chosen {
        let Some(c) = view.carried(e) else {
            continue;
        };
        for (strike, vol) in view.smile(e, c.forward) {
            let moneyness = (strike.to_f64() / c.forward).ln();
            let rest = [moneyness, vol, vol * vol * c.years].map(|x| x.to_string());
            table.write_record(
                [
                    view.symbol().to_owned(),
                    view.at.to_string(),
                    e.date.to_string(),
                ]
                .into_iter()
                .chain([c.years, c.forward, c.rate].map(|x| x.to_string()))
                .chain([strike.to_string()])
                .chain(rest),
            )?;
        }
    }
    Ok(())
}

fn instrument(view: &UnderlyingAt<'_>, table: &mut Table) -> Result<(), csv::Error> {
    let (u, fees) = (view.underlying, view.world.fees_of(view.symbol()));
    let paid = match view.world.carry(view.symbol(), view.at) {
        Some(Carry::Yield(yearly)) => yearly,
        _ => 0.0,
    };
    let sector = view.world.sector(view.symbol()).unwrap_or_default();
    let opening = u.opening_root.clone().unwrap_or_default();
    let coarse = u.ticks.steps().get(1);
    let coarse = |of: fn(&(Price, Price)) -> Price| {
        coarse.map_or_else(String::new, |step| of(step).to_string())
    };
    let margin = match u.margin_class {
        MarginClass::Equity => "equity",
        MarginClass::BroadIndex => "broad_index",
        MarginClass::LargeIndex => "large_index",
        MarginClass::Scan(_) => "",
    };
    let basket = if view.world.is_basket(view.symbol()) {
        "yes"
    } else {
        "no"
    };
    table.write_record(["name", "value"])?;
    for (name, value) in [
        ("name", u.name.clone()),
        (
            "kind",
            match u.kind {
                UnderlyingKind::Shares => "shares",
                UnderlyingKind::Index => "index",
                UnderlyingKind::Future => "future",
            }
            .into(),
        ),
        (
            "style",
            match u.style {
                Style::American => "american",
                Style::European => "european",
            }
            .into(),
        ),
        (
            "settlement",
            match u.settlement {
                Settlement::Delivery => "delivery",
                Settlement::Cash => "cash",
            }
            .into(),
        ),
        ("multiplier", u.multiplier.to_string()),
        ("tick", u.ticks.tick_at(Price::ZERO).to_string()),
        (
            "prices",
            match u.style_of_price {
                PriceStyle::Decimal => "decimal",
                PriceStyle::Eighths => "eighths",
                PriceStyle::SixtyFourths => "64ths",
            }
            .into(),
        ),
        ("dividend_yield", paid.to_string()),
        ("sector", sector.into()),
        ("opening_root", opening),
        ("closing_root", u.weekly_root.clone().unwrap_or_default()),
        ("coarse_tick", coarse(|step| step.1)),
        ("coarse_from", coarse(|step| step.0)),
        ("own_tick", u.own_tick.to_string()),
        ("margin", margin.into()),
        ("basket", basket.into()),
        ("package_tick", u.package_tick.to_string()),
        ("fee_option", fees.option.to_string()),
        ("fee_future", fees.future.to_string()),
    ] {
        table.write_record([name, value.as_str()])?;
    }
    Ok(())
}

fn expirations(
    view: &UnderlyingAt<'_>,
    all: &[Expiration],
    table: &mut Table,
) -> Result<(), csv::Error> {
    table.write_record([
        "root", "expiry", "ends", "settles", "kind", "days", "t_years", "rate", "yield", "forward",
        "atm_vol",
    ])?;
    for e in all {
        let Some(c) = view.carried(e) else {
            continue;
        };
        let vol = view.at_the_money(e, &c);
        let kind = match e.cycle {
            Cycle::Weekly => "weekly",
            Cycle::Monthly => "monthly",
            Cycle::Quarterly => "quarterly",
            Cycle::Long => "long",
        };
        table.write_record([
            view.underlying.root_for(e).to_owned(),
            e.date.to_string(),
            e.moment().to_string(),
            if e.am_settled { "opening" } else { "close" }.to_owned(),
            kind.to_owned(),
            view.at.days_until(e.date).to_string(),
            c.years.to_string(),
            c.rate.to_string(),
            c.paid.to_string(),
            c.forward.to_string(),
            vol.map_or_else(String::new, |v| v.to_string()),
        ])?;
    }
    Ok(())
}

fn volatility(view: &UnderlyingAt<'_>, from: Date, table: &mut Table) -> Result<(), csv::Error> {
    table.write_record(["at", "vol30"])?;
    let sessions = view.world.bars(view.symbol(), from, view.at);
    let closes = sessions.iter().map(|b| close_of(b.date));
    let before = closes.filter(|at| *at < view.at);
    for at in before.chain([view.at]) {
        let known = view.world.knows_chain(view.symbol(), at);
        if let Some(vol) = vol30(view.world, view.symbol(), at).filter(|_| known) {
            table.write_record([at.to_string(), vol.to_string()])?;
        }
    }
    Ok(())
}

fn events(view: &UnderlyingAt<'_>, from: Date, table: &mut Table) -> Result<(), csv::Error> {
    table.write_record(["date", "kind", "what", "cash", "known"])?;
    let all = view.world.announced(view.symbol(), view.at);
    for e in all.into_iter().filter(|e| e.date >= from) {
        let kind = match e.kind {
            AnnouncedKind::Earnings => "earnings",
            AnnouncedKind::Decision => "decision",
            AnnouncedKind::ExDividend => "ex-dividend",
        };
        table.write_record([
            e.date.to_string(),
            kind.to_owned(),
            e.what,
            e.cash.map_or_else(String::new, |c| c.to_string()),
            e.known.to_string(),
        ])?;
    }
    Ok(())
}
