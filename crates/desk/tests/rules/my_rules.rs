//! My rules: each at its edge, the narrower before the wider, rung once until armed again.

use crate::common::*;
use desk::rules::*;
use desk::*;
use jiff::civil::date;

fn at() -> Moment {
    Moment::at(date(2031, 3, 11), 10, 40)
}

/// A strangle opened three weeks ago for 400.00, 38 days before its end, in profit.
fn seen() -> CampaignSeen {
    CampaignSeen {
        campaign: 12,
        symbol: "NMOU".into(),
        structure: Structure::Strangle,
        opened: Moment::at(date(2031, 2, 18), 11, 0),
        expiry: Some(date(2031, 4, 18)),
        profit: Some(Money::whole(260)),
        entry: Money::whole(400),
        max_profit: Some("397.40".parse().unwrap()),
        max_loss: Some(Money::whole(-1_600)),
        account: Some(Money::whole(60_000)),
        spot: "187.42".parse().unwrap(),
        to_sold: Some(0.5),
        to_even: Some(0.7),
        sold: vec![
            SoldLeg {
                price: "1.15".parse().unwrap(),
                time_value: "1.15".parse().unwrap(),
                delta: 0.21,
            },
            SoldLeg {
                price: "0.55".parse().unwrap(),
                time_value: "0.05".parse().unwrap(),
                delta: -0.12,
            },
        ],
        earnings: Some(NextDate {
            date: date(2031, 3, 20),
            sessions: sessions_to(date(2031, 3, 11), date(2031, 3, 20)),
        }),
        ex_date: Some(NextDate {
            date: date(2031, 3, 14),
            sessions: sessions_to(date(2031, 3, 11), date(2031, 3, 14)),
        }),
        vol: Some(0.42),
        vol_entry: Some(0.37),
        rank: Some(63.0),
        greeks: Some(SeenGreeks {
            lean: 3.5,
            delta: 21.0,
            theta: 12.25,
            vega: -33.5,
        }),
    }
}

fn account() -> AccountSeen {
    let of = |name: &str, amount| Some((name.to_owned(), Money::whole(amount)));
    AccountSeen {
        stress: Money::whole(3_000),
        value: Money::whole(60_000),
        lean: 31.8,
        index: 2_940.0,
        theta: 42.0,
        vega: -120.0,
        used: Money::whole(15_000),
        largest: Largest {
            trade: of("NMOU strangle", 1_200),
            symbol: of("NMOU", 3_000),
            sector: of("technology", 6_000),
            expiration: of("2031-04-18", 9_000),
        },
        open: 9,
        day: Some((Money::whole(-300), Money::whole(60_300))),
        week: Some((Money::whole(-603), Money::whole(60_300))),
    }
}

fn rule(measure: Measure, side: Side, limit: &str) -> Rule {
    Rule {
        id: 1,
        scope: Scope::All,
        condition: Condition {
            measure,
            side,
            limit: limit.parse().unwrap(),
        },
        again: Some(Decimal::ZERO),
        on: true,
    }
}

fn rings(rule: &Rule, c: &CampaignSeen, a: &AccountSeen) -> bool {
    let book = BookSeen {
        at: at(),
        campaigns: vec![c.clone()],
        account: Some(a.clone()),
    };
    let judged = judge(std::slice::from_ref(rule), &book);
    assert_eq!(judged.len(), 1, "{:?} is judged", rule.condition.measure);
    judged[0].rings
}

/// Every kind of rule exactly at its limit, and one step of the limit on either side. Figures by hand
/// from the campaign and the account above.
#[test]
fn every_rule_at_its_edge() {
    use Measure as M;
    use Side::{Above, Below};
    // Measure, side, the limit that is exactly seen, one step of it.
    let table: &[(M, Side, &str, &str)] = &[
        (M::Profit, Above, "260", "0.01"),
        // 260 of 397.40 are 65.425264… percent: no decimal is exactly that.
        (M::ProfitOfDebit, Above, "0.65", "0.00000001"),
        (M::ProfitOfCredit, Above, "0.65", "0.00000001"),
        (M::KeptADay, Above, "3.0952381", "0.0000001"),
        (M::Loss, Above, "260", "0.01"),
        (M::LossOfMax, Above, "16.25", "0.01"),
        (M::LossOfCredit, Above, "0.65", "0.01"),
        (M::LossOfDebit, Above, "0.65", "0.00000001"),
        (M::LossOfAccount, Above, "0.43333333", "0.00000001"),
        (M::DaysLeft, Below, "38", "1"),
        (M::DaysOpen, Above, "21", "1"),
        (M::EarningsIn, Below, "7", "1"),
        (M::ExDateIn, Below, "3", "1"),
        (M::ToSoldStrike, Below, "0.5", "0.01"),
        (M::ToBreakEven, Below, "0.7", "0.01"),
        (M::SoldDelta, Above, "0.21", "0.01"),
        (M::SoldTimeValue, Below, "0.05", "0.01"),
        (M::SoldPrice, Below, "0.55", "0.01"),
        (M::Price, Above, "187.42", "0.01"),
        (M::Price, Below, "187.42", "0.01"),
        (M::Vol, Above, "42", "0.1"),
        (M::Vol, Below, "42", "0.1"),
        (M::Rank, Above, "63", "1"),
        (M::Rank, Below, "63", "1"),
        (M::VolSince, Above, "5", "0.1"),
        (M::CampaignLean, Above, "3.5", "0.1"),
        (M::CampaignDelta, Below, "21", "1"),
        (M::CampaignTheta, Below, "12.25", "0.01"),
        (M::CampaignVega, Below, "-33.5", "0.1"),
        (M::AccountValue, Below, "60000", "0.01"),
        (M::Lean, Above, "31.8", "0.1"),
        (M::LeanOfAccount, Above, "155.82", "0.01"),
        (M::Theta, Below, "42", "0.01"),
        (M::Vega, Below, "-120", "1"),
        (M::PowerUsed, Above, "25", "0.01"),
        (M::OneTrade, Above, "2", "0.01"),
        (M::OneSymbol, Above, "5", "0.01"),
        (M::OneSector, Above, "10", "0.01"),
        (M::OneExpiration, Above, "15", "0.01"),
        (M::StressLoss, Above, "3000", "0.01"),
        (M::StressLossOfAccount, Above, "5", "0.01"),
        (M::OpenCampaigns, Above, "9", "1"),
        (M::DayLoss, Above, "300", "0.01"),
        (M::DayLossOfAccount, Above, "0.49751244", "0.00000001"),
        (M::WeekLoss, Above, "603", "0.01"),
        (M::WeekLossOfAccount, Above, "1", "0.01"),
    ];
    for (measure, side, limit, step) in table {
        let (limit, step): (Decimal, Decimal) = (limit.parse().unwrap(), step.parse().unwrap());
        let mut c = seen();
        match measure {
            M::ProfitOfDebit => c.entry = Money::whole(-400),
            // As many days as it takes: 260 of 400 over 21 days.
            M::Loss | M::LossOfMax | M::LossOfCredit | M::LossOfAccount => {
                c.profit = Some(Money::whole(-260));
            }
            M::LossOfDebit => {
                c.entry = Money::whole(-400);
                c.profit = Some(Money::whole(-260));
            }
            _ => {}
        }
        let facts = measure.facts();
        let with = |limit: Decimal| {
            let mut r = rule(*measure, *side, "0");
            r.condition.limit = limit;
            rings(&r, &c, &account())
        };
        let beyond = if *side == Above {
            limit - step
        } else {
            limit + step
        };
        let short = if *side == Above {
            limit + step
        } else {
            limit - step
        };
        let told = format!("{} {} {limit}", facts.word, side.word());
        assert!(with(beyond), "{told}: a step beyond its limit");
        assert!(!with(short), "{told}: a step short of its limit");
        // Thirds are no decimals; 65 percent of 21 days neither.
        let is_exact = !matches!(
            measure,
            M::KeptADay | M::LossOfAccount | M::DayLossOfAccount
        );
        // Volatilities are the model's: 0.42 − 0.37 is not exactly 0.05.
        let model = matches!(measure, M::VolSince | M::LeanOfAccount | M::Vol);
        if is_exact && !model {
            assert_eq!(with(limit), facts.reached, "{told}: at its limit");
        }
    }
    // 65 percent of max profit are 258.31: a cent less does not ring.
    let r = rule(M::ProfitOfMax, Above, "65");
    for (profit, wanted) in [("258.31", true), ("258.30", false)] {
        let c = CampaignSeen {
            profit: Some(profit.parse().unwrap()),
            ..seen()
        };
        assert_eq!(rings(&r, &c, &account()), wanted, "{profit}");
    }
    // Fallen volatility is a change below zero.
    let fell = CampaignSeen {
        vol: Some(0.30),
        ..seen()
    };
    assert!(rings(&rule(M::VolSince, Below, "-6"), &fell, &account()));
    assert!(!rings(&rule(M::VolSince, Below, "-8"), &fell, &account()));
    // Every measure of campaigns and of the account is in the table, or just above.
    for m in MEASURES.iter().filter(|m| m.subject != Subject::Trade) {
        let there = table.iter().any(|(t, ..)| *t == m.measure) || m.measure == M::ProfitOfMax;
        assert!(there, "{} is not tried at its edge", m.word);
    }
}

/// A trade at its limits: 2 % of 60,000 are 1,200.
#[test]
fn rules_about_new_trades_at_their_edges() {
    let trade = |at_risk: &str, open: i64, width: &str| TradeSeen {
        at_risk: Some(at_risk.parse().unwrap()),
        account: Money::whole(60_000),
        open_interest: Some(open),
        width: Some((width.parse().unwrap(), "2.50".parse().unwrap())),
    };
    let rings = |measure, side, limit: &str, t: TradeSeen| {
        rule(measure, side, limit)
            .condition
            .rings(t.figure(measure).unwrap())
    };
    use Measure as M;
    use Side::{Above, Below};
    let edge = trade("1200", 100, "0.25");
    for (measure, side, limit) in [
        (M::TradeRisk, Above, "2"),
        (M::TradeRiskMoney, Above, "1200"),
        (M::OpenInterest, Below, "100"),
        (M::MarketWidth, Above, "10"),
    ] {
        assert!(
            !rings(measure, side, limit, edge),
            "{measure:?} at its limit"
        );
        let over = trade("1200.01", 99, "0.26");
        assert!(rings(measure, side, limit, over), "{measure:?} beyond it");
    }
    // A loss without a limit is no figure.
    let without = TradeSeen {
        at_risk: None,
        ..edge
    };
    assert_eq!(without.figure(M::TradeRisk), None);
}

/// Of rules on one measure the narrowest counts, and says which it takes the place of.
#[test]
fn the_narrower_rule_wins() {
    let with = |id, scope| Rule {
        id,
        scope,
        ..rule(Measure::ProfitOfMax, Side::Above, "50")
    };
    let rules = [
        with(1, Scope::All),
        with(2, Scope::Structure(Structure::Strangle)),
        with(3, Scope::Symbol("NMOU".into())),
        with(4, Scope::Campaign(12)),
        Rule {
            on: false,
            ..with(5, Scope::Campaign(12))
        },
        Rule {
            id: 6,
            ..rule(Measure::DaysLeft, Side::Below, "20")
        },
    ];
    let of = |structure, symbol, campaign| {
        let all = ruling(&rules, Subject::Campaign, (structure, symbol, campaign));
        all.into_iter()
            .map(|r| (r.rule.id, r.instead_of))
            .collect::<Vec<_>>()
    };
    assert_eq!(
        of(Structure::Strangle, "NMOU", Some(12)),
        [(4, vec![1, 2, 3]), (6, vec![])]
    );
    assert_eq!(
        of(Structure::Strangle, "NMOU", Some(13)),
        [(3, vec![1, 2]), (6, vec![])]
    );
    assert_eq!(
        of(Structure::Strangle, "ZORV", Some(13)),
        [(2, vec![1]), (6, vec![])]
    );
    assert_eq!(
        of(Structure::Condor, "ZORV", Some(13)),
        [(1, vec![]), (6, vec![])]
    );
}

/// A rule rings once and again only after the figure has gone back by what it says.
#[test]
fn a_rule_rings_once_until_it_is_armed_again() {
    let told = |again: Option<&str>, profits: &[i64]| {
        let mut r = rule(Measure::Profit, Side::Above, "100");
        r.again = again.map(|by| by.parse().unwrap());
        let mut standing: Option<Rung> = None;
        let mut out = String::new();
        for profit in profits {
            let c = CampaignSeen {
                profit: Some(Money::whole(*profit)),
                ..seen()
            };
            let book = BookSeen {
                at: at(),
                campaigns: vec![c],
                account: None,
            };
            let judged = judge(std::slice::from_ref(&r), &book);
            match Rung::after(standing.as_ref(), &judged[0], at()) {
                Follows::Nothing => out.push('.'),
                Follows::Rings(s) => {
                    out.push('R');
                    standing = Some(s);
                }
                Follows::Changed(s) => {
                    out.push(if s.holds { 'h' } else { 'l' });
                    standing = Some(s);
                }
                Follows::Armed => {
                    out.push('a');
                    standing = None;
                }
            }
        }
        out
    };
    let path = [90, 100, 120, 99, 100, 80, 100];
    assert_eq!(told(Some("0"), &path), ".R.aRaR");
    // Gone back to 99 it no longer holds, and may not ring; at 80 it may.
    assert_eq!(told(Some("20"), &path), ".R.lhaR");
    assert_eq!(told(None, &path), ".R.lhlh");
}

/// Rules say themselves in plain sentences.
#[test]
fn a_rule_is_read_back_as_a_sentence() {
    let say = |scope: Scope, measure, side, limit: &str, again: Option<&str>| {
        let r = Rule {
            scope,
            again: again.map(|a| a.parse().unwrap()),
            ..rule(measure, side, limit)
        };
        r.sentence(|id| (id == 12).then(|| "NMOU iron condor".to_owned()))
    };
    use Measure as M;
    use Side::{Above, Below};
    let said = [
        say(Scope::All, M::ProfitOfMax, Above, "65", Some("5")),
        say(
            Scope::Structure(Structure::Condor),
            M::ToSoldStrike,
            Below,
            "0.4",
            Some("0"),
        ),
        say(Scope::Symbol("NMOU".into()), M::Price, Below, "180", None),
        say(Scope::Campaign(12), M::DaysLeft, Below, "21", Some("0")),
        say(Scope::All, M::Lean, Above, "40", Some("0")),
        say(Scope::All, M::TradeRisk, Above, "2", None),
        say(Scope::All, M::EarningsIn, Below, "1", None),
    ];
    assert_eq!(
        said,
        [
            "Rings when a campaign has made 65 % of its max profit or more; again after it has gone \
             back by 5 %.",
            "Rings when a campaign that is a condor has its price within 0.4 σ of a sold strike or \
             beyond it; again after it was otherwise.",
            "Rings when a campaign in NMOU has its underlying at 180 or less; only once.",
            "Rings when campaign 12 (NMOU iron condor) has 21 days left or fewer; again after it was \
             otherwise.",
            "Rings when the account leans above 40 index shares; again after it was otherwise.",
            "A new trade is marked where it can lose more than 2 % of the account.",
            "Rings when a campaign has earnings or a decision today or in the next session; only \
             once.",
        ]
    );
}

/// What cannot be a rule says what would be right.
#[test]
fn a_rule_that_cannot_be_is_refused() {
    use Measure as M;
    let wrong = |r: Rule| r.check().unwrap_err();
    assert!(wrong(rule(M::Profit, Side::Below, "5")).contains("write \"above\""));
    assert!(wrong(rule(M::Profit, Side::Above, "-5")).contains("write 0 or more"));
    assert!(wrong(rule(M::DaysLeft, Side::Below, "2.5")).contains("whole number"));
    assert!(wrong(rule(M::Price, Side::Above, "190")).contains("choose a symbol"));
    let of_one = |measure, side| Rule {
        scope: Scope::Campaign(1),
        ..rule(measure, side, "2")
    };
    assert!(wrong(of_one(M::TradeRisk, Side::Above)).contains("no campaign yet"));
    assert!(wrong(of_one(M::Lean, Side::Above)).contains("is for all"));
    assert!(rule(M::Lean, Side::Below, "-40").check().is_ok());
}

/// The kinds that rules tell apart.
#[test]
fn structures_are_told_apart() {
    let kind = |text: &str| Structure::of(&structure(text), &underlying());
    for (text, wanted) in [
        ("+1 100P", Structure::Single),
        ("+1 100P -1 95P", Structure::Vertical),
        ("+1 95P -2 100P +1 105P", Structure::Butterfly),
        ("+1 90P -1 95P -1 105C +1 110C", Structure::Condor),
        ("-1 95P -1 105C", Structure::Strangle),
        ("+1 100C -2 105C", Structure::Ratio),
        ("+1 100P -1 105C", Structure::Other),
    ] {
        assert_eq!(kind(text), wanted, "{text}");
    }
    let words: std::collections::BTreeSet<&str> = Structure::ALL.iter().map(|s| s.word()).collect();
    assert_eq!(words.len(), Structure::ALL.len());
    for s in Structure::ALL {
        assert_eq!(Structure::of_word(s.word()), Some(s));
    }
    for (place, m) in MEASURES.iter().enumerate() {
        assert_eq!(m.measure as usize, place, "{}", m.word);
        assert_eq!(Measure::of_word(m.word), Some(m.measure));
    }
}

/// A put sold at 95 and a call sold at 105 for 2.00 together, 10 % a deviation: by hand, a rule half a
/// deviation before a sold strike rings at 95·e^0.05 and 105·e^−0.05, at the break-evens at 93 and 107;
/// a price where it is said. Where it rings by the picture it rings by the figure.
#[test]
fn rules_about_the_price_know_where_they_ring() {
    let held = structure("-1 95P -1 105C");
    let shape = Shape::of(
        &held,
        &underlying(),
        desk::Received::counted(Money::whole(200)),
    );
    let of_it = |rules: &[Rule]| {
        let rules = ruling(
            rules,
            Subject::Campaign,
            (Structure::Strangle, "NMOU", None),
        );
        ring_prices(&rules, &held, &shape, 0.1)
    };
    let near = |found: Vec<f64>, wanted: [f64; 2]| {
        assert_eq!(found.len(), 2);
        for (f, w) in found.iter().zip(wanted) {
            assert!((f - w).abs() < 1e-9, "{found:?}");
        }
    };
    let half = 0.05_f64.exp();
    let strikes = rule(Measure::ToSoldStrike, Side::Below, "0.5");
    near(
        of_it(std::slice::from_ref(&strikes)),
        [95.0 * half, 105.0 / half],
    );
    let evens = rule(Measure::ToBreakEven, Side::Below, "0");
    near(of_it(&[evens]), [93.0, 107.0]);
    let price = Rule {
        scope: Scope::Symbol("NMOU".into()),
        ..rule(Measure::Price, Side::Above, "111.5")
    };
    assert_eq!(of_it(&[price]), [111.5]);
    assert_eq!(
        of_it(&[rule(Measure::DaysLeft, Side::Below, "20")]),
        [0.0; 0]
    );
    // A step inside the mark the distance is above the limit, a step beyond it below.
    let ring = of_it(std::slice::from_ref(&strikes))[1];
    for (spot, rings) in [(ring * 0.9999, false), (ring * 1.0001, true)] {
        let seen = CampaignSeen {
            to_sold: Some((105.0 / spot).ln() / 0.1),
            ..seen()
        };
        let figure = seen.figure(Measure::ToSoldStrike, at()).unwrap();
        assert_eq!(strikes.condition.rings(figure), rings, "{spot}");
    }
}

/// The strictest limit on what a trade may lose, in exact money: 2.5 % of 61,234.56 are 1,530.864.
#[test]
fn the_strictest_limit_on_risk_counts() {
    let percent = rule(Measure::TradeRisk, Side::Above, "2.5");
    let money = |limit: &str| Rule {
        id: 2,
        ..rule(Measure::TradeRiskMoney, Side::Above, limit)
    };
    let account: Money = "61234.56".parse().unwrap();
    let most = |rules: &[Rule]| {
        let of_it = (Structure::Condor, "NMOU", None);
        most_at_risk(rules, of_it, account).map(|m| m.to_string())
    };
    assert_eq!(
        most(std::slice::from_ref(&percent)).as_deref(),
        Some("1530.864")
    );
    assert_eq!(
        most(&[percent.clone(), money("1500")]).as_deref(),
        Some("1500.00")
    );
    assert_eq!(most(&[percent, money("2000")]).as_deref(), Some("1530.864"));
    assert_eq!(most(&[]), None);
}
