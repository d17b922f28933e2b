//! Structures by name and width, anchored at a strike: what a chain lists when it is read as
//! packages.

use quant::Kind;
use serde::{Deserialize, Serialize};

use crate::contract::Contract;
use crate::holding::Leg;
use crate::number::Price;
use crate::package::Package;

/// A structure to list along a chain. The anchor is the strike that gives it its character: what is
/// sold of a credit vertical, the middle of a butterfly, the centre of a condor.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "camelCase")]
pub enum Template {
    /// Call bought at the anchor, call sold above.
    BullCallVertical,
    /// Call sold at the anchor, call bought above.
    BearCallVertical,
    /// Put sold at the anchor, put bought below.
    BullPutVertical,
    /// Put bought at the anchor, put sold below.
    BearPutVertical,
    /// Both bought at the anchor.
    Straddle,
    /// Call bought above the anchor, put below.
    Strangle,
    /// Calls bought on both sides, two sold at the anchor.
    CallButterfly,
    /// Puts bought on both sides, two sold at the anchor.
    PutButterfly,
    /// Call and put sold around the anchor, both covered as far out again.
    IronCondor,
    /// Call sold at the anchor, the same call of the next expiration bought.
    CallCalendar,
    /// Put sold at the anchor, the same put of the next expiration bought.
    PutCalendar,
    /// One call bought at the anchor, two sold above.
    CallRatio,
    /// One put bought at the anchor, two sold below.
    PutRatio,
}

impl Template {
    /// All of them, in the order they are offered.
    pub const ALL: [Template; 13] = [
        Template::BullPutVertical,
        Template::BearCallVertical,
        Template::BullCallVertical,
        Template::BearPutVertical,
        Template::IronCondor,
        Template::Straddle,
        Template::Strangle,
        Template::CallButterfly,
        Template::PutButterfly,
        Template::CallCalendar,
        Template::PutCalendar,
        Template::CallRatio,
        Template::PutRatio,
    ];

    /// Whether it has a width.
    pub fn has_width(self) -> bool {
        !matches!(
            self,
            Template::Straddle | Template::CallCalendar | Template::PutCalendar
        )
    }

    /// The structure at an anchor; none where a strike it needs is not listed. `near` and `far`
    /// give the listed contract of a right and a strike.
    pub fn at(
        self,
        anchor: Price,
        width: Price,
        near: impl Fn(Kind, Price) -> Option<Contract>,
        far: impl Fn(Kind, Price) -> Option<Contract>,
    ) -> Option<Package> {
        use Kind::{Call, Put};
        let leg = |kind, steps: i64, quantity| {
            Some(Leg::option(near(kind, anchor + width * steps)?, quantity))
        };
        let later = |kind| Some(Leg::option(far(kind, anchor)?, 1));
        let legs: Vec<Option<Leg>> = match self {
            Template::BullCallVertical => vec![leg(Call, 0, 1), leg(Call, 1, -1)],
            Template::BearCallVertical => vec![leg(Call, 0, -1), leg(Call, 1, 1)],
            Template::BullPutVertical => vec![leg(Put, 0, -1), leg(Put, -1, 1)],
            Template::BearPutVertical => vec![leg(Put, 0, 1), leg(Put, -1, -1)],
            Template::Straddle => vec![leg(Call, 0, 1), leg(Put, 0, 1)],
            Template::Strangle => vec![leg(Call, 1, 1), leg(Put, -1, 1)],
            Template::CallButterfly => vec![leg(Call, -1, 1), leg(Call, 0, -2), leg(Call, 1, 1)],
            Template::PutButterfly => vec![leg(Put, -1, 1), leg(Put, 0, -2), leg(Put, 1, 1)],
            Template::IronCondor => vec![
                leg(Put, -2, 1),
                leg(Put, -1, -1),
                leg(Call, 1, -1),
                leg(Call, 2, 1),
            ],
            Template::CallCalendar => vec![leg(Call, 0, -1), later(Call)],
            Template::PutCalendar => vec![leg(Put, 0, -1), later(Put)],
            Template::CallRatio => vec![leg(Call, 0, 1), leg(Call, 1, -2)],
            Template::PutRatio => vec![leg(Put, 0, 1), leg(Put, -1, -2)],
        };
        Package::new(legs.into_iter().collect::<Option<Vec<Leg>>>()?).ok()
    }
}
