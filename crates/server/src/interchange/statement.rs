//! Positions and fills as CSV (RFC 4180), and both as an investment statement in OFX 2.2 (Open
//! Financial Exchange, published specification).
//!
//! OFX knows no futures: they are written as other securities. Prices are decimals whatever the
//! market writes; moments carry the exchange's offset.

use desk::{
    Book, Entry, EntryKind, FillLeg, Instrument, Kind, Moment, Money, Price, Purpose, Underlying,
    UnderlyingKind,
};
use engine::money::account_value;
use engine::state::State;
use market::Quoter;
use quick_xml::Writer;
use quick_xml::events::{BytesDecl, BytesPI, BytesText, Event};

/// Columns of the fills; import reads the same.
pub const FILL_COLUMNS: [&str; 8] = [
    "fill",
    "order",
    "at",
    "symbol",
    "instrument",
    "quantity",
    "price",
    "fees",
];
const POSITION_COLUMNS: [&str; 9] = [
    "campaign",
    "symbol",
    "instrument",
    "quantity",
    "opened",
    "opened_at",
    "mark",
    "value",
    "profit",
];

pub(crate) fn csv_of(header: &[&str], rows: impl Iterator<Item = Vec<String>>) -> String {
    let mut out = csv::WriterBuilder::new()
        .terminator(csv::Terminator::CRLF)
        .from_writer(Vec::new());
    // Writing to memory cannot fail.
    let mut write = |row: &[String]| drop(out.write_record(row));
    write(&header.iter().map(|h| (*h).to_owned()).collect::<Vec<_>>());
    rows.for_each(|row| write(&row));
    String::from_utf8(out.into_inner().unwrap_or_default()).unwrap_or_default()
}

/// Open lots: one row each, at their marks.
pub fn positions_csv(state: &State, quoter: &mut Quoter) -> String {
    let rows = state.account.lots().iter().map(|l| {
        let mark = quoter
            .quote_any(&state.world, &l.instrument, state.clock.now)
            .map_or(l.price(), |q| q.mark());
        let symbol = state
            .world
            .underlying_of(&l.instrument)
            .map_or_else(String::new, |u| u.symbol.clone());
        vec![
            l.campaign.to_string(),
            symbol,
            l.instrument.to_string(),
            l.quantity.to_string(),
            l.opened.to_string(),
            l.price().to_string(),
            mark.to_string(),
            l.worth(mark).to_string(),
            l.profit(mark).to_string(),
        ]
    });
    csv_of(&POSITION_COLUMNS, rows)
}

/// Every execution with its number, oldest first.
fn fills(state: &State) -> Vec<(String, &desk::Order, &desk::Fill)> {
    let each = state.orders.iter().flat_map(|o| {
        o.fills()
            .enumerate()
            .map(move |(i, f)| (format!("{}-{}", o.id, i + 1), o.as_ref(), f))
    });
    let mut all: Vec<_> = each.collect();
    all.sort_by_key(|(_, _, f)| f.at);
    all
}

/// Executions: one row for each leg; the fees of an execution stand on its first.
pub fn fills_csv(state: &State) -> String {
    let rows = fills(state).into_iter().flat_map(|(id, o, f)| {
        let row = move |(i, l): (usize, &FillLeg)| {
            vec![
                id.clone(),
                o.id.to_string(),
                f.at.to_string(),
                o.request.symbol.clone(),
                l.instrument.to_string(),
                l.quantity.to_string(),
                l.price.to_string(),
                if i == 0 {
                    f.fees.to_string()
                } else {
                    String::new()
                },
            ]
        };
        f.legs.iter().enumerate().map(row).collect::<Vec<_>>()
    });
    csv_of(&FILL_COLUMNS, rows)
}

/// An element: a value, or what stands inside.
enum Node {
    Value(&'static str, String),
    Inside(&'static str, Vec<Node>),
}
use Node::{Inside, Value};

fn value(name: &'static str, text: impl ToString) -> Node {
    Value(name, text.to_string())
}

fn write(out: &mut Writer<Vec<u8>>, node: &Node) -> std::io::Result<()> {
    match node {
        Value(name, text) => out
            .create_element(*name)
            .write_text_content(BytesText::new(text))
            .map(drop),
        Inside(name, inside) => out
            .create_element(*name)
            .write_inner_content(|w| inside.iter().try_for_each(|n| write(w, n)))
            .map(drop),
    }
}

/// A moment as the statement writes it, like "20310311104200.000[-5:EST]".
fn moment(at: Moment) -> String {
    let digits: String = at
        .to_string()
        .chars()
        .take(19)
        .filter(char::is_ascii_digit)
        .collect();
    format!("{digits}.000[-5:EST]")
}

fn security(instrument: &Instrument) -> Node {
    Inside(
        "SECID",
        vec![
            value("UNIQUEID", instrument),
            value("UNIQUEIDTYPE", "OTHER"),
        ],
    )
}

/// How OFX calls a trade in an instrument: the aggregate, its inner one, and what follows it.
fn trade(
    id: &str,
    at: Moment,
    memo: &str,
    leg: &FillLeg,
    fees: Money,
    opens: bool,
    u: &Underlying,
) -> Node {
    let bought = leg.quantity > 0;
    // Nothing is paid for a future.
    let paid = if u.is_margined(&leg.instrument) {
        Money::ZERO
    } else {
        leg.price.times(leg.quantity * u.units(&leg.instrument))
    };
    let inner = vec![
        Inside(
            "INVTRAN",
            vec![
                value("FITID", id),
                value("DTTRADE", moment(at)),
                value("MEMO", memo),
            ],
        ),
        security(&leg.instrument),
        value("UNITS", leg.quantity),
        value("UNITPRICE", leg.price),
        value("COMMISSION", fees),
        value("TOTAL", -paid - fees),
        value("SUBACCTSEC", "MARGIN"),
        value("SUBACCTFUND", "MARGIN"),
    ];
    let inner = Inside(if bought { "INVBUY" } else { "INVSELL" }, inner);
    match (&leg.instrument, u.kind, bought) {
        (Instrument::Option(_), _, true) => {
            let how = if opens { "BUYTOOPEN" } else { "BUYTOCLOSE" };
            Inside(
                "BUYOPT",
                vec![
                    inner,
                    value("OPTBUYTYPE", how),
                    value("SHPERCTRCT", u.multiplier),
                ],
            )
        }
        (Instrument::Option(_), _, false) => {
            let how = if opens { "SELLTOOPEN" } else { "SELLTOCLOSE" };
            Inside(
                "SELLOPT",
                vec![
                    inner,
                    value("OPTSELLTYPE", how),
                    value("SHPERCTRCT", u.multiplier),
                ],
            )
        }
        (_, UnderlyingKind::Future, true) => Inside("BUYOTHER", vec![inner]),
        (_, UnderlyingKind::Future, false) => Inside("SELLOTHER", vec![inner]),
        (_, _, true) => Inside(
            "BUYSTOCK",
            vec![
                inner,
                value("BUYTYPE", if opens { "BUY" } else { "BUYTOCOVER" }),
            ],
        ),
        (_, _, false) => Inside(
            "SELLSTOCK",
            vec![
                inner,
                value("SELLTYPE", if opens { "SELLSHORT" } else { "SELL" }),
            ],
        ),
    }
}

fn position(state: &State, lot: &desk::Lot, mark: Price) -> Option<Node> {
    let u = state.world.underlying_of(&lot.instrument)?;
    let inner = vec![
        security(&lot.instrument),
        value("HELDINACCT", "MARGIN"),
        value("POSTYPE", if lot.quantity > 0 { "LONG" } else { "SHORT" }),
        value("UNITS", lot.quantity),
        value("UNITPRICE", mark),
        value("MKTVAL", lot.worth(mark)),
        value("DTPRICEASOF", moment(state.clock.now)),
        value("MEMO", format!("campaign {}", lot.campaign)),
    ];
    let name = match (&lot.instrument, u.kind) {
        (Instrument::Option(_), _) => "POSOPT",
        (_, UnderlyingKind::Future) => "POSOTHER",
        _ => "POSSTOCK",
    };
    Some(Inside(name, vec![Inside("INVPOS", inner)]))
}

fn listed(state: &State, instrument: &Instrument) -> Option<Node> {
    let u = state.world.underlying_of(instrument)?;
    let info = |name: String| {
        Inside(
            "SECINFO",
            vec![
                security(instrument),
                value("SECNAME", name),
                value("TICKER", instrument),
            ],
        )
    };
    Some(match instrument {
        Instrument::Option(c) => Inside(
            "OPTINFO",
            vec![
                info(format!(
                    "{} {}, {}",
                    u.symbol,
                    c.label(),
                    desk::short_date(c.expiry)
                )),
                value("OPTTYPE", if c.kind == Kind::Call { "CALL" } else { "PUT" }),
                value("STRIKEPRICE", c.strike),
                value("DTEXPIRE", c.expiry.to_string().replace('-', "")),
                value("SHPERCTRCT", u.multiplier),
            ],
        ),
        Instrument::Underlying(_) if u.kind == UnderlyingKind::Future => {
            Inside("OTHERINFO", vec![info(u.name.clone())])
        }
        Instrument::Underlying(_) => Inside("STOCKINFO", vec![info(u.name.clone())]),
    })
}

/// Money that moved without a trade in a security, as a bank transaction of the account.
fn bank(id: String, at: Moment, kind: &str, amount: Money, memo: &str) -> Node {
    let inner = vec![
        value("TRNTYPE", kind),
        value("DTPOSTED", moment(at)),
        value("TRNAMT", amount),
        value("FITID", id),
        value("NAME", memo.chars().take(32).collect::<String>()),
        value("MEMO", memo),
    ];
    Inside(
        "INVBANKTRAN",
        vec![Inside("STMTTRN", inner), value("SUBACCTFUND", "MARGIN")],
    )
}

/// By how much an entry changed what is held of each instrument, over all campaigns.
fn changes_of(state: &State, number: usize, entry: &Entry) -> Vec<(Instrument, i64)> {
    let shares = entry.shares.iter();
    let touched = shares.filter_map(|s| state.account.campaign(s.campaign));
    let mut legs: Vec<(Instrument, i64)> = Vec::new();
    for chapter in touched.flat_map(|c| c.chapters.iter().filter(|c| c.entry == number)) {
        for (instrument, n) in &chapter.legs {
            match legs.iter_mut().find(|(i, _)| i == instrument) {
                Some((_, sum)) => *sum += n,
                None => legs.push((instrument.clone(), *n)),
            }
        }
    }
    legs
}

/// What happened without an order: money paid in, dividends, daily settlements, expirations,
/// exercises and assignments with the shares that changed hands. Lots that moved between campaigns
/// are no matter of a statement.
fn without_order(
    state: &State,
    number: usize,
    entry: &Entry,
    named: &mut Vec<Instrument>,
) -> Vec<Node> {
    let (id, at, memo) = (format!("entry-{}", number + 1), entry.at, &entry.memo);
    let cash = entry.amount(Book::Cash);
    let legs = changes_of(state, number, entry);
    named.extend(legs.iter().map(|(i, _)| i.clone()));
    let head = |part: &str| {
        Inside(
            "INVTRAN",
            vec![
                value("FITID", format!("{id}{part}")),
                value("DTTRADE", moment(at)),
                value("MEMO", memo),
            ],
        )
    };
    let closure = |action: &str, instrument: &Instrument, n: i64| {
        let lot = state
            .world
            .underlying_of(instrument)
            .map_or(1, |u| u.multiplier);
        Inside(
            "CLOSUREOPT",
            vec![
                head(""),
                security(instrument),
                value("OPTACTION", action),
                value("UNITS", -n),
                value("SHPERCTRCT", lot),
                value("SUBACCTSEC", "MARGIN"),
            ],
        )
    };
    match entry.kind {
        EntryKind::Trade | EntryKind::Transfer | EntryKind::Merge => Vec::new(),
        EntryKind::Deposit => vec![bank(id, at, "DEP", cash, memo)],
        EntryKind::Variation | EntryKind::Correction => {
            vec![bank(id, at, "OTHER", cash, memo)]
        }
        EntryKind::Dividend => {
            let symbol = memo.split(' ').next().unwrap_or_default();
            let instrument = Instrument::Underlying(symbol.to_owned());
            named.push(instrument.clone());
            vec![Inside(
                "INCOME",
                vec![
                    head(""),
                    security(&instrument),
                    value("INCOMETYPE", "DIV"),
                    value("TOTAL", cash),
                    value("SUBACCTSEC", "MARGIN"),
                    value("SUBACCTFUND", "MARGIN"),
                ],
            )]
        }
        EntryKind::Settlement | EntryKind::Offset => {
            let options = legs.iter().filter(|(i, n)| i.option().is_some() && *n != 0);
            let mut out: Vec<Node> = options.map(|(i, n)| closure("EXPIRE", i, *n)).collect();
            if cash != Money::ZERO {
                out.push(bank(format!("{id}-cash"), at, "OTHER", cash, memo));
            }
            out
        }
        EntryKind::Exercise | EntryKind::Assignment => {
            let action = if entry.kind == EntryKind::Exercise {
                "EXERCISE"
            } else {
                "ASSIGN"
            };
            let strike = legs.iter().find_map(|(i, _)| Some(i.option()?.strike));
            let delivered = |(i, n): &(Instrument, i64)| {
                let u = state.world.underlying_of(i)?;
                let leg = FillLeg {
                    instrument: i.clone(),
                    quantity: *n,
                    price: strike?,
                    terms: None,
                };
                let (part, none) = (format!("{id}-delivered"), Money::ZERO);
                Some(trade(&part, at, memo, &leg, none, *n > 0, u))
            };
            let each = legs.iter().filter(|(_, n)| *n != 0);
            each.filter_map(|leg| match leg.0.option() {
                Some(_) => Some(closure(action, &leg.0, leg.1)),
                None => delivered(leg),
            })
            .collect()
        }
    }
}

/// Every execution, a transaction a leg.
fn executions(state: &State, named: &mut Vec<Instrument>) -> Vec<Node> {
    let mut out = Vec::new();
    for (id, o, f) in fills(state) {
        let Some(u) = state.world.underlying(&o.request.symbol) else {
            continue;
        };
        // The fees of an execution stand on its first leg.
        for (i, leg) in f.legs.iter().enumerate() {
            let fees = if i == 0 { f.fees } else { Money::ZERO };
            let opens = match o.request.purpose {
                Purpose::Open => true,
                Purpose::Close(_) => false,
                // A roll closes the legs that end first.
                Purpose::Roll(_) => {
                    let ends = |l: &FillLeg| l.instrument.option().map(|c| c.expiry);
                    f.legs.iter().filter_map(ends).min() != ends(leg)
                }
            };
            out.push(trade(
                &format!("{id}-{}", i + 1),
                f.at,
                &engine::orders::order_words(o, u),
                leg,
                fees,
                opens,
                u,
            ));
            named.push(leg.instrument.clone());
        }
    }
    out
}

/// The statement: every execution, what happened without one, what is open, the cash, and the
/// securities that are named.
pub fn ofx(state: &State, quoter: &mut Quoter) -> std::io::Result<String> {
    let now = state.clock.now;
    let begin = state.account.entries().front().map_or(now, |e| e.at);
    let mut transactions = vec![value("DTSTART", moment(begin)), value("DTEND", moment(now))];
    let mut named: Vec<Instrument> = Vec::new();
    transactions.extend(executions(state, &mut named));
    for (number, entry) in state.account.entries().iter().enumerate() {
        transactions.extend(without_order(state, number, entry, &mut named));
    }
    let mut open = Vec::new();
    for lot in state.account.lots() {
        let mark = quoter
            .quote_any(&state.world, &lot.instrument, now)
            .map_or(lot.price(), |q| q.mark());
        open.extend(position(state, lot, mark));
        named.push(lot.instrument.clone());
    }
    named.sort();
    named.dedup();
    let status = || Inside("STATUS", vec![value("CODE", 0), value("SEVERITY", "INFO")]);
    let cash = state.account.balance(Book::Cash);
    let statement = vec![
        value("DTASOF", moment(now)),
        value("CURDEF", "USD"),
        Inside(
            "INVACCTFROM",
            vec![
                value("BROKERID", "pikebell.invalid"),
                value("ACCTID", "paper"),
            ],
        ),
        Inside("INVTRANLIST", transactions),
        Inside("INVPOSLIST", open),
        Inside(
            "INVBAL",
            vec![
                value("AVAILCASH", cash),
                value("MARGINBALANCE", 0),
                value("SHORTBALANCE", 0),
                Inside(
                    "BALLIST",
                    vec![Inside(
                        "BAL",
                        vec![
                            value("NAME", "account value"),
                            value("DESC", "cash and positions at their marks"),
                            value("BALTYPE", "DOLLAR"),
                            value("VALUE", account_value(state, quoter)),
                        ],
                    )],
                ),
            ],
        ),
    ];
    let signon = vec![
        status(),
        value("DTSERVER", moment(now)),
        value("LANGUAGE", "ENG"),
    ];
    let document = Inside(
        "OFX",
        vec![
            Inside("SIGNONMSGSRSV1", vec![Inside("SONRS", signon)]),
            Inside(
                "INVSTMTMSGSRSV1",
                vec![Inside(
                    "INVSTMTTRNRS",
                    vec![value("TRNUID", 0), status(), Inside("INVSTMTRS", statement)],
                )],
            ),
            Inside(
                "SECLISTMSGSRSV1",
                vec![Inside(
                    "SECLIST",
                    named.iter().filter_map(|i| listed(state, i)).collect(),
                )],
            ),
        ],
    );
    let mut out = Writer::new_with_indent(Vec::new(), b' ', 1);
    out.write_event(Event::Decl(BytesDecl::new("1.0", Some("UTF-8"), None)))?;
    out.write_event(Event::PI(BytesPI::new(
        r#"OFX OFXHEADER="200" VERSION="220" SECURITY="NONE" OLDFILEUID="NONE" NEWFILEUID="NONE""#,
    )))?;
    write(&mut out, &document)?;
    Ok(String::from_utf8(out.into_inner()).unwrap_or_default())
}
