//! Closed sets as they cross: each an enum of the document, its words beside what they stand for.

use desk::rounds::Fits;
use desk::rules::{Group, Side, Subject, Unit};
use desk::{
    AccountKind, ChapterKind, CheckCode, ComparedRow, Cycle, EntryKind, EventKind, Kind,
    OrderState, Price, Structure, UnderlyingKind, Verdict,
};
use engine::rounds::DatedKind;
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
        StaleQuotes = "stale_quotes",
        DoubtfulQuote = "doubtful_quote",
        NoDividends = "no_dividends",
        MarketWidth = "market_width",
        OpenInterest = "open_interest",
        Theoretical = "theoretical",
        EarlyAssignment = "early_assignment",
        NoBid = "no_bid",
        Event = "event",
        UnlimitedLoss = "unlimited_loss",
        Costs = "costs",
        Pays = "pays",
        MyRule = "my_rule",
        BuyingPower = "buying_power",
        Rules = "rules",
        Uncovers = "uncovers",
        DayTrade = "day_trade",
    }
}

/// The way back, for sets that come in as well.
macro_rules! words_back {
    ($name:ident of $core:ident { $($variant:ident,)+ }) => {
        impl From<$name> for $core {
            fn from(of: $name) -> $core {
                match of {
                    $($name::$variant => $core::$variant,)+
                }
            }
        }
    };
}

words! {
    /// Kinds of structures.
    StructureWord of Structure {
        Single = "single option",
        Vertical = "vertical",
        Butterfly = "butterfly",
        Condor = "condor",
        Strangle = "straddle or strangle",
        Ratio = "ratio spread",
        Calendar = "calendar or diagonal",
        Covered = "position with its underlying",
        Shares = "position in the underlying alone",
        Other = "structure of another kind",
    }
}
words_back! {
    StructureWord of Structure {
        Single, Vertical, Butterfly, Condor, Strangle, Ratio, Calendar, Covered, Shares, Other,
    }
}

words! {
    /// On which side of its limit something rings.
    SideWord of Side { Above = "above", Below = "below", }
}
words_back! { SideWord of Side { Above, Below, } }

words! {
    /// What a measure is of.
    SubjectWord of Subject { Campaign = "campaign", Account = "account", Trade = "trade", }
}

words! {
    /// Where a measure stands in the form.
    GroupWord of Group {
        Profit = "profit",
        Loss = "loss",
        Time = "time",
        Price = "price",
        Volatility = "volatility",
        Greeks = "greeks",
        Account = "account",
        NewTrades = "new trades",
    }
}

words! {
    /// What a limit is counted in.
    UnitWord of Unit {
        Money = "money",
        Percent = "percent",
        Times = "times",
        Days = "days",
        Sessions = "sessions",
        Deviations = "deviations",
        Number = "number",
        Price = "price",
        Points = "points",
        Count = "count",
    }
}

words! {
    /// An answer that fits.
    FitsWord of Fits {
        Close = "close",
        Rework = "rework",
        Exercise = "exercise",
        DoNotExercise = "do not exercise",
        LetBe = "let be",
        Noted = "noted",
        ToOrder = "to order",
        ToBalance = "to balance",
    }
}

words! {
    /// Kinds of dates ahead.
    DatedWord of DatedKind {
        Expiration = "expiration",
        News = "news",
        ExDividend = "dividend",
        Rule = "rule",
        Own = "own",
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
        Corrected = "corrected",
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
        Correction = "correction",
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
    /// Nothing is paid and nothing received.
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
    /// Shares of the underlying.
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
