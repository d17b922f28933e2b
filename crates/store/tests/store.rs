//! What is written is what is read, and a command is written whole or not at all.
#![allow(clippy::unwrap_used)]

use desk::order::Event;
use desk::*;
use store::Store;

fn order(id: u64, client: &str) -> Order {
    let leg = |symbol: &str, quantity| Leg::option(symbol.parse().unwrap(), quantity);
    let unit = Package::new([
        leg("NMOU  310418P00175000", -1),
        leg("NMOU  310418P00165000", 1),
    ])
    .unwrap();
    let at = Moment::from_millis(1_930_000_000_000);
    let request = Request {
        client_id: client.into(),
        symbol: "NMOU".into(),
        unit,
        quantity: 2,
        pricing: Pricing::Limit("-2.15".parse().unwrap()),
        trigger: None,
        link: Link::default(),
        time_in_force: TimeInForce::GoodTillCancelled,
        purpose: desk::Purpose::Open,
        closing: Vec::new(),
    };
    Order {
        id,
        placed: at,
        request,
        events: vec![(at, Event::Accepted)],
    }
}

fn shares() -> Underlying {
    Underlying {
        symbol: "NMOU".into(),
        name: "Nimoura Systems".into(),
        kind: UnderlyingKind::Shares,
        style: Style::American,
        settlement: Settlement::Delivery,
        multiplier: 100,
        ticks: TickTable::single(Price::cents(1)),
        package_tick: Price::cents(1),
        own_tick: Price::cents(1),
        style_of_price: PriceStyle::Decimal,
        margin_class: MarginClass::Equity,
        listing: ListingRule {
            monthlies: 3,
            ..ListingRule::default()
        },
        own_dates: Vec::new(),
        last_session: None,
        session: None,
        weekly_root: None,
        opening_root: None,
        beta: 1.0,
    }
}

fn fill(o: &Order) -> Fill {
    let legs = o.request.unit.legs().iter().zip(["2.20", "4.35"]);
    let legs = legs
        .map(|(l, p)| FillLeg {
            instrument: l.instrument.clone(),
            quantity: 2 * l.quantity,
            price: p.parse().unwrap(),
            terms: None,
        })
        .collect();
    Fill {
        order: o.id,
        at: o.placed.plus_millis(5_000),
        packages: 2,
        price: "-2.15".parse().unwrap(),
        legs,
        fees: "2.60".parse().unwrap(),
    }
}

#[test]
fn everything_comes_back_as_it_went_in_also_after_reopening() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("desk.db");
    let mut o = order(1, "first");
    let f = fill(&o);
    // One that waits for another, watches, and has lived through everything that can happen.
    let mut held = order(2, "second");
    held.request.trigger = Some(Trigger {
        side: TriggerSide::Cross,
        level: Level::Trailing("0.35".parse().unwrap()),
    });
    held.request.link = Link {
        after: Some(1),
        group: Some(2),
    };
    held.request.time_in_force = TimeInForce::GoodTillDate("2031-04-10".parse().unwrap());
    held.request.pricing = Pricing::Market;
    let seen: Price = "-2.05".parse().unwrap();
    let lived = [
        Event::Activated(2),
        Event::Trailed(seen),
        Event::Triggered(seen),
        Event::Reduced(1),
        Event::Forgone(1),
        Event::Resized(-1),
        Event::Eased(Some(Easing {
            step: seen,
            every: 30,
            to: seen,
        })),
        Event::Eased(None),
        Event::Tied(Link {
            after: None,
            group: Some(3),
        }),
        Event::Expired("its last day ended".into()),
    ];
    held.events.extend(lived.map(|e| (f.at, e)));
    let mut account = Account::default();
    let clock = ClockState {
        now: o.placed,
        running: true,
        speed: 60,
    };
    let deposit = account.deposit(o.placed, Money::whole(60_000)).clone();
    let trade = account
        .fill(&f, None, &shares(), "sold 2 bull put verticals".into())
        .clone();
    let c: Contract = "NMOU  310418P00175000".parse().unwrap();
    let settled = account
        .settle(f.at, &c, "1.25".parse().unwrap(), &[], "settled".into())
        .unwrap()
        .clone();
    let cause = Cause::Market {
        instrument: c.clone().into(),
        value: "1.25".parse().unwrap(),
        quantity: 0,
        only: vec![1, 12],
    };
    let closed = a_day();
    {
        let store = Store::open(&path).unwrap();
        store
            .commit(&[
                Fact::Setting("seed".into(), "7".into()),
                Fact::Clock(clock),
                Fact::Booked(deposit, None),
            ])
            .unwrap();
        store
            .commit(&[
                Fact::Placed(o.clone()),
                Fact::Happened(1, f.at, Event::Filled(f.clone())),
                Fact::Booked(trade, None),
            ])
            .unwrap();
        store
            .commit(&[
                Fact::Booked(settled, Some(cause.clone())),
                Fact::Draft("A".into(), "{}".into(), f.at),
            ])
            .unwrap();
        store.commit(&[Fact::Placed(held.clone())]).unwrap();
        store
            .commit(&[
                Fact::Draft("B".into(), "{\"x\":1}".into(), f.at),
                Fact::DraftGone("A".into()),
                Fact::Day(closed.clone()),
            ])
            .unwrap();
    }
    let saved = Store::open(&path).unwrap().load().unwrap();
    o.events.push((f.at, Event::Filled(f.clone())));
    assert_eq!(saved.orders, [o, held]);
    assert_eq!(saved.clock, Some(clock));
    assert_eq!(saved.settings["seed"], "7");
    assert_eq!(saved.drafts, [("B".to_owned(), "{\"x\":1}".to_owned())]);
    assert_eq!(saved.days, [closed]);
    let entries: Vec<Entry> = saved.journal.iter().map(|j| j.entry.clone()).collect();
    // Shares of campaigns are computed, not kept.
    let bare = |e: &Entry| Entry {
        shares: Vec::new(),
        ..e.clone()
    };
    let booked: Vec<Entry> = account.entries().iter().map(bare).collect();
    assert_eq!(entries, booked);
    assert_eq!(saved.journal[1].fill, Some(f));
    assert_eq!(saved.journal[2].cause, Some(cause));
}

/// Shares among the legs, a roll, an instruction, and every entry that no order makes.
#[test]
fn what_happens_without_an_order_comes_back_too() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("desk.db");
    let own = |quantity| Leg {
        instrument: Instrument::Underlying("NMOU".into()),
        quantity,
    };
    let call: Contract = "NMOU  310418C00195000".parse().unwrap();
    let mut covered = order(1, "covered");
    covered.request.unit = Package::new([own(100), Leg::option(call.clone(), -1)]).unwrap();
    let mut rolled = order(2, "rolled");
    rolled.request.purpose = desk::Purpose::Roll(1);
    rolled.request.closing = vec![1];
    let at = covered.placed;
    let legs = covered.request.unit.legs().iter().zip(["3.10", "187.00"]);
    let legs = legs
        .map(|(l, p)| FillLeg {
            instrument: l.instrument.clone(),
            quantity: l.quantity,
            price: p.parse().unwrap(),
            terms: Some(FillTerms::of(&l.instrument, &shares())),
        })
        .collect();
    let f = Fill {
        order: 1,
        at,
        packages: 1,
        price: "183.90".parse().unwrap(),
        legs,
        fees: "0.65".parse().unwrap(),
    };
    let mut account = Account::default();
    let mut booked = vec![(
        account.fill(&f, None, &shares(), "opened".into()).clone(),
        None,
    )];
    let cause = |instrument: &str, value: &str, quantity| {
        Some(Cause::Market {
            instrument: instrument.parse().unwrap(),
            value: value.parse().unwrap(),
            quantity,
            only: Vec::new(),
        })
    };
    booked.push((
        account
            .dividend(at, "NMOU", "0.50".parse().unwrap(), &[], "dividend".into())
            .unwrap()
            .clone(),
        cause("NMOU", "0.50", 0),
    ));
    booked.push((
        account
            .settle_futures(
                at,
                "NMOU",
                "188".parse().unwrap(),
                &[],
                "as if it were a future".into(),
            )
            .unwrap()
            .clone(),
        cause("NMOU", "188", 0),
    ));
    booked.push((
        account
            .deliver(at, &call, -1, (&shares(), &[]), "assigned".into())
            .unwrap()
            .clone(),
        cause("NMOU  310418C00195000", "0", -1),
    ));
    // Lots move to a campaign of their own, and it becomes part of the first again.
    let parts = vec![(Instrument::Underlying("NMOU".into()), 40)];
    account.fill(&f, Some(1), &shares(), "again".into());
    booked.push((
        account
            .transfer(at, (1, 9), &parts, "moved".into())
            .unwrap()
            .clone(),
        Some(Cause::Moved {
            from: 1,
            to: 9,
            parts,
        }),
    ));
    booked.push((
        account.merge(at, 9, 1, "merged".into()).unwrap().clone(),
        Some(Cause::Merged { from: 9, into: 1 }),
    ));
    let label = Label {
        name: "income".into(),
        note: "until the ex-date".into(),
        tags: vec!["covered".into(), "bank".into()],
    };
    for (entry, _) in &mut booked {
        entry.shares.clear();
    }
    {
        let store = Store::open(&path).unwrap();
        store
            .commit(&[
                Fact::Placed(covered.clone()),
                Fact::Happened(1, at, Event::Filled(f.clone())),
                Fact::Placed(rolled.clone()),
            ])
            .unwrap();
        store
            .commit(
                &booked
                    .iter()
                    .map(|(entry, cause)| Fact::Booked(entry.clone(), cause.clone()))
                    .collect::<Vec<_>>(),
            )
            .unwrap();
        store
            .commit(&[
                Fact::Described(1, label.clone()),
                Fact::Declined(call.clone(), true, at),
                Fact::Declined("NMOU  310418P00175000".parse().unwrap(), true, at),
            ])
            .unwrap();
        store
            .commit(&[Fact::Declined(
                "NMOU  310418P00175000".parse().unwrap(),
                false,
                at,
            )])
            .unwrap();
    }
    let saved = Store::open(&path).unwrap().load().unwrap();
    covered.events.push((at, Event::Filled(f)));
    assert_eq!(saved.orders, [covered, rolled]);
    assert_eq!(saved.declined, [call]);
    assert_eq!(saved.labels, [(1, label)]);
    assert_eq!(
        saved
            .journal
            .iter()
            .map(|j| (j.entry.clone(), j.cause.clone()))
            .collect::<Vec<_>>(),
        booked
    );
}

#[test]
fn a_command_that_fails_half_way_leaves_nothing_behind() {
    let folder = tempfile::tempdir().unwrap();
    let store = Store::open(&folder.path().join("desk.db")).unwrap();
    store.commit(&[Fact::Placed(order(1, "same"))]).unwrap();
    let before = store.load().unwrap();
    let twice = store.commit(&[
        Fact::DayNote("2031-03-11".into(), "quiet".into()),
        Fact::Placed(order(2, "same")),
    ]);
    assert!(
        twice.unwrap_err().to_string().contains("UNIQUE"),
        "a client id is used once"
    );
    let orphan = store.commit(&[
        Fact::DayNote("2031-03-11".into(), "quiet".into()),
        Fact::Happened(9, Moment::from_millis(0), Event::Cancelled),
    ]);
    assert!(orphan.unwrap_err().to_string().contains("FOREIGN KEY"));
    assert_eq!(store.load().unwrap(), before);
}

/// A file written before orders could wait opens with what it held.
#[test]
fn a_file_of_the_first_schema_is_brought_up_to_date() {
    use diesel::connection::SimpleConnection;
    use diesel::{Connection, SqliteConnection};
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("old.db");
    let mut old = SqliteConnection::establish(path.to_str().unwrap()).unwrap();
    old.batch_execute(include_str!("../migrations/2026-11-24-000000_first/up.sql"))
        .unwrap();
    old.batch_execute(include_str!("first_schema.sql")).unwrap();
    drop(old);
    for _ in 0..2 {
        let saved = Store::open(&path).unwrap().load().unwrap();
        let seen: Vec<_> = saved
            .orders
            .iter()
            .map(|o| {
                (
                    o.request.time_in_force,
                    o.request.pricing,
                    o.state(),
                    o.events.len(),
                )
            })
            .collect();
        let limit = Pricing::Limit("-2.15".parse().unwrap());
        assert_eq!(
            seen,
            [
                (TimeInForce::GoodTillCancelled, limit, OrderState::Filled, 2),
                (TimeInForce::Day, Pricing::Market, OrderState::Working, 1)
            ]
        );
        let put: Contract = "NMOU  310418P00175000".parse().unwrap();
        assert_eq!(
            saved.orders[0].request.unit.legs()[0].instrument,
            Instrument::Option(put.clone())
        );
        assert_eq!(saved.journal[0].fill.as_ref().map(|f| f.packages), Some(2));
        let cause = Cause::Market {
            instrument: put.into(),
            value: "1.25".parse().unwrap(),
            quantity: 0,
            only: Vec::new(),
        };
        assert_eq!(
            (
                saved.journal[1].cause.as_ref(),
                saved.journal[1].entry.postings.len()
            ),
            (Some(&cause), 1)
        );
    }
}

/// A row of a close with figures of every kind, awkward ones among them.
fn a_day() -> Day {
    let of = |name: &str, amount: i64| Some((name.to_owned(), Money::whole(amount)));
    Day {
        date: "2031-03-10".into(),
        version: DAY_VERSION,
        value: Money::whole(60_123),
        figures: Some(DayFigures {
            deposits: Money::ZERO,
            parts: desk::life::Parts {
                total: "-0.0001".parse().unwrap(),
                delta: 0.1 + 0.2,
                gamma: -1e-17,
                fees: "-2.60".parse().unwrap(),
                other: 1.0 / 3.0,
                rate: -0.25,
                dividends: 12.5,
                ..desk::life::Parts::default()
            },
            cash: Money::whole(41_000),
            at_moves: [-5, -1, 0, 1, 5].map(Money::whole),
            largest: desk::rules::Largest {
                trade: of("VXLO iron condor 950/940", 1_200),
                expiration: of("2031-04-18", 3_000),
                ..desk::rules::Largest::default()
            },
            missing: vec!["NMOU".into(), "TNYBM1: not told".into()],
            ..DayFigures::default()
        }),
    }
}

/// Rules, what they found, what was decided and noted come back as they were kept, and go when they
/// are thrown away.
#[test]
fn rules_decisions_and_notes_come_back() {
    use desk::rules::{Condition, MEASURES, Rule, Rung, Scope, Side};
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("desk.db");
    let at = Moment::from_millis(1_900_000_000_000);
    let scopes = [
        Scope::All,
        Scope::Structure(Structure::Strangle),
        Scope::Symbol("NMOU".into()),
        Scope::Campaign(12),
    ];
    let measures = MEASURES.iter().zip(scopes.iter().cycle()).zip(1..);
    let rules: Vec<Rule> = measures
        .map(|((m, scope), id)| Rule {
            id,
            scope: scope.clone(),
            condition: Condition {
                measure: m.measure,
                side: if id % 2 == 0 {
                    Side::Above
                } else {
                    Side::Below
                },
                limit: "-1.25".parse().unwrap(),
            },
            again: (id % 3 == 0).then(|| "0.5".parse().unwrap()),
            on: id % 5 != 0,
        })
        .collect();
    let standing = Rung {
        since: at,
        seen: "days left: 17 d, set at 21 d".into(),
        holds: false,
    };
    let until = [
        Until::Change,
        Until::Date("2031-04-18".parse().unwrap()),
        Until::Price {
            side: BellSide::Below,
            level: "187.5".parse().unwrap(),
        },
    ];
    let answers = [
        Answer::Close,
        Answer::Exercise,
        Answer::DoNotExercise,
        Answer::Noted,
    ];
    let answers = answers.into_iter().chain(until.map(Answer::LetBe));
    let decisions: Vec<Decision> = answers
        .zip(1..)
        .map(|(answer, id)| Decision {
            id,
            at,
            campaign: (id != 4).then_some(12),
            reason: "rule:1".into(),
            says: "said".into(),
            answer,
            order: (id == 1).then_some(7),
            note: "why".into(),
        })
        .collect();
    let own = |id| OwnDate {
        id,
        date: "2031-03-21".parse().unwrap(),
        what: "decide".into(),
        campaign: (id == 2).then_some(12),
    };
    let bells: Vec<Bell> = [
        Listens::Figure {
            of: Watched::Campaign(12),
            condition: rules[0].condition,
        },
        Listens::Figure {
            of: Watched::Symbol("NMOU".into()),
            condition: rules[1].condition,
        },
        Listens::Figure {
            of: Watched::Account,
            condition: rules[2].condition,
        },
        Listens::Told(Occurrence::Rule),
    ]
    .into_iter()
    .zip(1..)
    .map(|(listens, id)| Bell {
        rung: (id > 2).then(|| (at, "rang".to_owned())),
        again: Some("2".parse().unwrap()),
        spent: id == 3,
        until: Some("2031-05-01".parse().unwrap()),
        snoozed: (id == 4).then_some(at),
        note: "look".into(),
        campaign: (id == 4).then_some(12),
        rule: (id == 4).then_some(3),
        ..Bell::on(id, at, listens)
    })
    .collect();
    let said = |words: &str| Said::new(words, ["premium".into(), "two words".into()]).unwrap();
    let store = Store::open(&path).unwrap();
    let mut facts: Vec<Fact> = rules.iter().cloned().map(Fact::Rule).collect();
    facts.extend(decisions.iter().cloned().map(Fact::Decided));
    facts.extend(bells.iter().cloned().map(Fact::Bell));
    facts.extend([
        Fact::Stands(1, None, Some(standing.clone())),
        Fact::Stands(2, Some(12), Some(standing.clone())),
        Fact::Stands(2, Some(13), Some(standing.clone())),
        Fact::Stands(2, Some(13), None),
        Fact::OwnDate(own(1)),
        Fact::OwnDate(own(2)),
        Fact::OwnDateGone(1),
        Fact::DayNote("2031-03-11".into(), "first".into()),
        Fact::DayNote("2031-03-11".into(), "quiet".into()),
        Fact::EntryNote(3, "rolled for time".into()),
        Fact::Said(SaidOf::Order(4), said("first")),
        Fact::Said(SaidOf::Order(4), said("it was rich")),
        Fact::Said(SaidOf::After(4), Said::default()),
        Fact::RuleGone(4),
    ]);
    store.commit(&facts).unwrap();
    drop(store);
    let saved = Store::open(&path).unwrap().load().unwrap();
    let kept: Vec<Rule> = rules.into_iter().filter(|r| r.id != 4).collect();
    assert_eq!(saved.rules, kept);
    assert_eq!(saved.decisions, decisions);
    assert_eq!(saved.bells, bells);
    assert_eq!(
        saved.standing,
        [(1, None, standing.clone()), (2, Some(12), standing.clone())]
    );
    let told = [
        (SaidOf::After(4), Said::default()),
        (SaidOf::Order(4), said("it was rich")),
    ];
    assert_eq!(saved.said, told);
    assert_eq!(saved.own_dates, [own(2)]);
    assert_eq!(saved.day_notes, [("2031-03-11".into(), "quiet".into())]);
    assert_eq!(saved.entry_notes, [(3, "rolled for time".into())]);
}

/// What one trade may lose at most was a setting once: it is a rule after the upgrade.
#[test]
fn the_old_setting_about_risk_becomes_a_rule() {
    use desk::rules::{Measure, Scope};
    use diesel::connection::SimpleConnection;
    use diesel::{Connection, SqliteConnection};
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("desk.db");
    let mut old = SqliteConnection::establish(path.to_str().unwrap()).unwrap();
    old.batch_execute(include_str!("../migrations/2026-11-24-000000_first/up.sql"))
        .unwrap();
    old.batch_execute(include_str!("first_schema.sql")).unwrap();
    old.batch_execute("INSERT INTO settings (name, value) VALUES ('risk_percent', '2.5')")
        .unwrap();
    drop(old);
    let saved = Store::open(&path).unwrap().load().unwrap();
    assert!(!saved.settings.contains_key("risk_percent"));
    let rule = &saved.rules[0];
    assert_eq!(
        (&rule.scope, rule.condition.measure, rule.condition.limit),
        (&Scope::All, Measure::TradeRisk, "2.5".parse().unwrap())
    );
}
