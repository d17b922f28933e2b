//! Structures along a chain are what they are called; carries give the forwards they stand for.

use crate::common::*;
use desk::*;
use jiff::civil::date;
use proptest::prelude::*;

/// Listed strikes: every 5 from 60 to 140.
fn listed(expiry: jiff::civil::Date) -> impl Fn(Kind, Price) -> Option<Contract> {
    move |kind, strike| {
        let on =
            strike.raw() % price("5").raw() == 0 && strike >= price("60") && strike <= price("140");
        on.then(|| Contract {
            root: "TEST".into(),
            expiry,
            kind,
            strike,
        })
    }
}

fn name_of(template: Template) -> &'static str {
    match template {
        Template::BullCallVertical => "bull call vertical",
        Template::BearCallVertical => "bear call vertical",
        Template::BullPutVertical => "bull put vertical",
        Template::BearPutVertical => "bear put vertical",
        Template::Straddle => "long straddle",
        Template::Strangle => "long strangle",
        Template::CallButterfly => "long call butterfly",
        Template::PutButterfly => "long put butterfly",
        Template::IronCondor => "iron condor",
        Template::CallCalendar => "long call calendar",
        Template::PutCalendar => "long put calendar",
        Template::CallRatio => "call ratio spread 1×2",
        Template::PutRatio => "put ratio spread 1×2",
    }
}

proptest! {
    /// At every anchor and width a template is one package of the structure it is named for, with
    /// all its strikes listed; or it is not there because one is missing.
    #[test]
    fn a_template_is_what_it_is_called(
        which in 0..13_usize,
        anchor in 10..30_i64,
        width in 1..9_i64,
    ) {
        let template = Template::ALL[which];
        let (anchor, width) = (price("5") * anchor, price("5") * width);
        let later = date(2031, 6, 20);
        let built = template.at(anchor, width, listed(day()), listed(later));
        let reach = match template {
            Template::Straddle | Template::CallCalendar | Template::PutCalendar => (0, 0),
            Template::BullCallVertical | Template::BearCallVertical | Template::CallRatio => (0, 1),
            Template::BullPutVertical | Template::BearPutVertical | Template::PutRatio => (1, 0),
            Template::Strangle | Template::CallButterfly | Template::PutButterfly => (1, 1),
            Template::IronCondor => (2, 2),
        };
        let fits =
            anchor - width * reach.0 >= price("60") && anchor + width * reach.1 <= price("140");
        prop_assert_eq!(built.is_some(), fits);
        if let Some(s) = built {
            prop_assert_eq!(recognise(&s, &underlying()).text, name_of(template));
            prop_assert_eq!(s.packages(), 1);
            let strikes: Vec<Price> = s.options().map(|(c, _)| c.strike).collect();
            let (low, high) = (
                *strikes.iter().min().unwrap(),
                *strikes.iter().max().unwrap(),
            );
            prop_assert_eq!(
                (low, high),
                (anchor - width * reach.0, anchor + width * reach.1)
            );
            prop_assert_eq!(
                s.is_one_expiration(),
                !matches!(template, Template::CallCalendar | Template::PutCalendar)
            );
        }
    }

    /// The yield that stands for dividends gives their forward: F = (S − Σ D e^{−rt}) e^{rT}; those
    /// behind the expiry, or paid already, do not count.
    #[test]
    fn a_yield_gives_the_forward_of_its_dividends(
        cents in prop::collection::vec((1..400_i64, 0..300_i64), 0..5),
        days in 1..400_i64,
        rate in -0.01..0.08_f64,
        spot in 50.0..500.0_f64,
    ) {
        let at = Moment::at(date(2031, 3, 11), 10, 42);
        let mut list: Vec<(Moment, Price)> = cents
            .iter()
            .map(|(c, d)| (at.plus_millis(d * 86_400_000), Price::cents(*c)))
            .collect();
        list.sort();
        let expiry = at.plus_millis(days * 86_400_000);
        let years = at.years_until(expiry);
        let present: f64 = list
            .iter()
            .filter(|(ex, _)| *ex > at && *ex <= expiry)
            .map(|(ex, cash)| cash.to_f64() * (-rate * at.years_until(*ex)).exp())
            .sum();
        let q = Carry::Dividends(list.clone()).yield_until(at, expiry, rate, spot);
        let forward = spot * ((rate - q) * years).exp();
        prop_assert!((forward - (spot - present) * (rate * years).exp()).abs() < 1e-9 * spot);
        prop_assert_eq!(Carry::Future.yield_until(at, expiry, rate, spot), rate);
        prop_assert_eq!(Carry::Yield(0.02).yield_until(at, expiry, rate, spot), 0.02);
        let inside = list
            .iter()
            .filter(|(ex, _)| *ex > at && *ex <= expiry)
            .count();
        prop_assert_eq!(Carry::Dividends(list).dividends(at, expiry).count(), inside);
    }
}
