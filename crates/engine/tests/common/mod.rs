//! An engine whose facts are kept in memory, as a database would keep them.
#![allow(dead_code, clippy::unwrap_used)]

use std::sync::Arc;

use desk::{Fact, Journalled, Moment, Order, Saved};
use engine::Engine;
use market::{DEMO_DAY, World};

pub fn start() -> Moment {
    Moment::at(DEMO_DAY, 10, 42)
}

/// Takes facts over into what is kept.
pub fn keep(saved: &mut Saved, facts: Vec<Fact>) {
    for fact in facts {
        match fact {
            Fact::Setting(name, value) => drop(saved.settings.insert(name, value)),
            Fact::Clock(clock) => saved.clock = Some(clock),
            Fact::Placed(order) => saved.orders.push(order),
            Fact::Happened(id, at, event) => {
                let place = saved.orders.binary_search_by_key(&id, |o: &Order| o.id);
                saved.orders[place.unwrap()].events.push((at, event));
            }
            Fact::Booked(entry, cause) => {
                // A trade belongs to the fill of its order that was told last.
                let order = saved.orders.iter().find(|o| Some(o.id) == entry.order);
                let fill = order.and_then(|o| o.fills().last().cloned());
                saved.journal.push(Journalled { entry, fill, cause });
            }
            Fact::Described(id, label) => {
                saved.labels.retain(|(known, _)| *known != id);
                saved.labels.push((id, label));
            }
            Fact::Declined(contract, true, _) => saved.declined.push(contract),
            Fact::Declined(contract, false, _) => saved.declined.retain(|c| *c != contract),
            Fact::Draft(slot, body, _) => {
                saved.drafts.retain(|(s, _)| *s != slot);
                saved.drafts.push((slot, body));
            }
            Fact::DraftGone(slot) => saved.drafts.retain(|(s, _)| *s != slot),
            Fact::Day(day) => saved.days.push(day),
            Fact::Rule(rule) => match saved.rules.iter_mut().find(|r| r.id == rule.id) {
                Some(known) => *known = rule,
                None => saved.rules.push(rule),
            },
            Fact::RuleGone(id) => saved.rules.retain(|r| r.id != id),
            Fact::Stands(rule, campaign, standing) => {
                saved
                    .standing
                    .retain(|(r, c, _)| (*r, *c) != (rule, campaign));
                saved.standing.extend(standing.map(|s| (rule, campaign, s)));
            }
            Fact::Decided(d) => saved.decisions.push(d),
            Fact::OwnDate(d) => saved.own_dates.push(d),
            Fact::OwnDateGone(id) => saved.own_dates.retain(|d| d.id != id),
            Fact::DayNote(day, note) => {
                saved.day_notes.retain(|(d, _)| *d != day);
                saved.day_notes.push((day, note));
            }
            Fact::EntryNote(entry, note) => {
                saved.entry_notes.retain(|(e, _)| *e != entry);
                saved.entry_notes.push((entry, note));
            }
            Fact::Said(of, said) => {
                saved.said.retain(|(x, _)| *x != of);
                saved.said.push((of, said));
            }
            Fact::Bell(bell) => match saved.bells.iter_mut().find(|b| b.id == bell.id) {
                Some(known) => *known = bell,
                None => saved.bells.push(bell),
            },
            Fact::BellGone(id) => saved.bells.retain(|b| b.id != id),
        }
    }
}

/// A run: the engine, and what was kept of it.
pub struct Run {
    pub world: Arc<World>,
    pub engine: Engine,
    pub saved: Saved,
}

impl Run {
    pub fn new(seed: u64) -> Run {
        Run::on(Arc::new(World::new(seed)))
    }

    /// A run on a market.
    pub fn on(world: Arc<World>) -> Run {
        let engine = Engine::restore(Arc::clone(&world), Saved::default(), start());
        Run {
            world,
            engine,
            saved: Saved::default(),
        }
    }

    /// Lets so many nanoseconds of real time pass.
    pub fn pass(&mut self, nanos: i64) -> bool {
        let to = self.engine.due(nanos);
        to.is_some_and(|to| self.engine.advance(to).is_ok())
    }

    /// Keeps what happened.
    pub fn keep(&mut self) {
        let facts = self.engine.take_facts();
        keep(&mut self.saved, facts);
    }

    /// The same run, opened again from what was kept.
    pub fn again(&self) -> Engine {
        Engine::restore(Arc::clone(&self.world), self.saved.clone(), start())
    }

    /// Ends without a word, as a killed program does, and begins again.
    pub fn restart(&mut self) {
        self.keep();
        self.engine = self.again();
    }
}

/// Everything that has to be the same after a restart or another way through time, by its parts.
pub fn everything(engine: &Engine) -> [(&'static str, String); 10] {
    let s = engine.state();
    let bells: Vec<_> = s.bells.iter().collect();
    [
        ("clock", format!("{:?}", s.clock)),
        ("orders", format!("{:?}", s.orders)),
        ("account", format!("{:?}", s.account)),
        ("days", format!("{:?}", s.days)),
        ("rules", format!("{:?}", s.my_rules)),
        ("standing", format!("{:?}", s.standing)),
        ("decisions", format!("{:?}", s.decisions)),
        ("declined", format!("{:?}", s.declined)),
        ("drafts", format!("{:?}", s.drafts)),
        ("bells", format!("{bells:?}")),
    ]
}

/// The first difference between two runs, with what stands around it.
pub fn difference(a: &Engine, b: &Engine) -> Option<String> {
    let (a, b) = (everything(a), everything(b));
    let (one, other) = a.iter().zip(&b).find(|(x, y)| x != y)?;
    let at = one
        .1
        .bytes()
        .zip(other.1.bytes())
        .position(|(x, y)| x != y)
        .unwrap_or(one.1.len().min(other.1.len()));
    let around = |text: &str| -> String {
        let bytes = &text.as_bytes()[at.saturating_sub(200)..(at + 200).min(text.len())];
        String::from_utf8_lossy(bytes).into_owned()
    };
    Some(format!(
        "{}: {} and {}",
        one.0,
        around(&one.1),
        around(&other.1)
    ))
}
