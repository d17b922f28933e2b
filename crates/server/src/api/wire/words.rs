//! Closed sets as they cross: each an enum of the document, its words beside what they stand for.

use desk::{
    AccountKind, ChapterKind, CheckCode, ComparedRow, Cycle, EntryKind, EventKind, Kind,
    OrderState, Price, UnderlyingKind, Verdict,
};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// An enum of the document for one of the core; every variant of the core's has its word.
macro_rules! words {
    ($(#[$doc:meta])* $name:ident of $core:ident { $($variant:ident = $word:tt,)+ }) => {
        $(#[$doc])*
        #[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
        pub enum $name {
            $(
                #[doc = concat!("\"", $word, "\".")]
                #[serde(rename = $word)]
                $variant,
            )+
        }

        impl From<$core> for $name {
            fn from(of: $core) -> $name {
                match of {
                    $($core::$variant => $name::$variant,)+
                }
            }
        }
    };
}

words! {
    /// A call or a put.
    KindWord of Kind { Call = "call", Put = "put", }
}

words! {
    /// How often an expiration comes.
    CycleWord of Cycle {
        Weekly = "weekly",
        Monthly = "monthly",
        Quarterly = "quarterly",
        Long = "long",
    }
}

words! {
    /// What a dated event is.
    EventWord of EventKind { News = "news", ExDividend = "dividend", }
}

words! {
    /// How a check came out; an order with a "blocking" one is refused.
    VerdictWord of Verdict {
        Fine = "fine",
        Note = "note",
        Warning = "warning",
        Blocking = "blocking",
    }
}

words! {
    /// What a check looked at: the same with any number.
    CheckCodeWord of CheckCode {
        Session = "session",
        MarketWidth = "market_width",
        OpenInterest = "open_interest",
        Theoretical = "theoretical",
        EarlyAssignment = "early_assignment",
        NoBid = "no_bid",
        Event = "event",
        UnlimitedLoss = "unlimited_loss",
        Costs = "costs",
        Pays = "pays",
        Risk = "risk",
        BuyingPower = "buying_power",
        Rules = "rules",
        Uncovers = "uncovers",
        DayTrade = "day_trade",
    }
}

words! {
    /// What a chapter of a campaign is.
    ChapterWord of ChapterKind {
        Opened = "opened",
        Rolled = "rolled",
        Adjusted = "adjusted",
        PartClosed = "part closed",
        Closed = "closed",
        Dividend = "dividend",
        Exercised = "exercised",
        Assigned = "assigned",
        Settled = "settled",
        Variation = "daily settlement",
        Offset = "settled between campaigns",
        MovedIn = "moved in",
        MovedOut = "moved out",
        Merged = "merged",
    }
}

words! {
    /// What a line of the ledger is.
    EntryWord of EntryKind {
        Deposit = "deposit",
        Trade = "trade",
        Settlement = "settlement",
        Exercise = "exercise",
        Assignment = "assignment",
        Dividend = "dividend",
        Variation = "daily settlement",
        Offset = "settled between campaigns",
        Transfer = "moved between campaigns",
        Merge = "campaigns merged",
    }
}

words! {
    /// Where an order stands.
    OrderStateWord of OrderState {
        Waiting = "waiting",
        Watching = "watching",
        Working = "working",
        PartlyFilled = "partly filled",
        Filled = "filled",
        Cancelled = "cancelled",
        Expired = "expired",
    }
}

words! {
    /// How an account is margined: everything paid in full ("cash"), by strategy rules ("margin"),
    /// by theoretical losses ("portfolio").
    AccountKindWord of AccountKind {
        Cash = "cash",
        Margin = "margin",
        Portfolio = "portfolio",
    }
}

impl From<AccountKindWord> for AccountKind {
    fn from(word: AccountKindWord) -> AccountKind {
        match word {
            AccountKindWord::Cash => AccountKind::Cash,
            AccountKindWord::Margin => AccountKind::Margin,
            AccountKindWord::Portfolio => AccountKind::Portfolio,
        }
    }
}

words! {
    /// A row of a comparison in which one draft may do best.
    ComparedRowWord of ComparedRow {
        Profit = "profit",
        Part = "part",
        Chance = "chance",
        Leverage = "leverage",
        Least = "least",
    }
}

/// Which way a package's price goes.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, ToSchema)]
#[serde(rename_all = "lowercase")]
pub enum PriceSide {
    /// Paid by the buyer of the package.
    Debit,
    /// Received by its buyer.
    Credit,
    /// Neither.
    Even,
}

impl From<Price> for PriceSide {
    fn from(price: Price) -> PriceSide {
        match price.raw().signum() {
            1 => PriceSide::Debit,
            -1 => PriceSide::Credit,
            _ => PriceSide::Even,
        }
    }
}

/// What an underlying that is traded itself is counted in.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, ToSchema)]
#[serde(rename_all = "lowercase")]
pub enum OwnWord {
    /// Shares.
    Shares,
    /// One month of a future.
    Future,
}

impl From<UnderlyingKind> for OwnWord {
    fn from(kind: UnderlyingKind) -> OwnWord {
        match kind {
            UnderlyingKind::Future => OwnWord::Future,
            _ => OwnWord::Shares,
        }
    }
}
