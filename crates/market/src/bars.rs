//! Daily bars: what a session did, as its minutes show it.
//!
//! Open and close are the path's own; high and low are taken over the prints at each minute, so a
//! bar never promises a price that a minute of the world does not have. Volume follows the size of
//! the move.

use desk::Moment;
use desk::calendar::{close_of, open_of};
use jiff::civil::Date;
use libm::exp;

use crate::market_data::Bar;
use crate::noise::{Stream, name_key};
use crate::world::World;

impl World {
    /// Bars of the sessions from `from` on; the session that `until` lies in counts as far as it
    /// has come. Nothing for an unknown symbol.
    pub fn bars(&self, symbol: &str, from: Date, until: Moment) -> Vec<Bar> {
        if let Some(r) = self.recorded(symbol) {
            return r.bars(from, until);
        }
        let sessions = self.sessions_between(from, until.date());
        sessions
            .iter()
            .filter_map(|day| self.bar(symbol, *day, until))
            .collect()
    }

    fn bar(&self, symbol: &str, day: Date, until: Moment) -> Option<Bar> {
        let end = close_of(day).min(until);
        let minutes = (end.millis() - open_of(day).millis()).div_euclid(60_000);
        if minutes < 0 {
            return None;
        }
        let print = |minute: i64| self.spot(symbol, open_of(day).plus_millis(minute * 60_000));
        let (open, close) = (print(0)?, self.spot(symbol, end)?);
        let (mut high, mut low) = (open.max(close), open.min(close));
        for minute in 1..=minutes {
            let price = print(minute)?;
            (high, low) = (high.max(price), low.min(price));
        }
        let busy = self.spec(symbol)?.activity;
        let drawn = self
            .noise()
            .normal(Stream::Volume, name_key(symbol), desk::day_number(day));
        let range = (high - low).to_f64() / open.to_f64();
        let part = minutes as f64 / 390.0;
        let volume = 1.2e6 * busy * part * exp(0.35 * drawn) * (0.6 + 30.0 * range);
        Some(Bar {
            date: day,
            open,
            high,
            low,
            close,
            volume: volume as i64,
        })
    }
}
