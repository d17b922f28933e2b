//! What an account may do and how it is margined: its kind, and the structures it is approved for.
//!
//! Levels are common practice without one published source: 0 covered calls, protective puts and
//! collars; 1 and puts secured by cash; 2 and options bought; 3 and structures whose loss has a
//! limit; 4 and uncovered puts on shares; 5 and uncovered calls, ratios and what is sold uncovered
//! on an index or a future. What counts is what is held afterwards, not what the order is called.

use crate::number::Money;

/// How an account is margined.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum AccountKind {
    /// Everything is paid in full; sold options are covered by shares or secured by cash.
    Cash,
    /// Margin by strategy rules: each spread is charged what it can lose.
    #[default]
    Margin,
    /// Theoretical losses over moves of the price.
    Portfolio,
}

impl AccountKind {
    /// All of them.
    pub const ALL: [AccountKind; 3] = [
        AccountKind::Cash,
        AccountKind::Margin,
        AccountKind::Portfolio,
    ];

    /// Shares, in money, that free money buys: themselves in a cash account; twice as many where
    /// half of their value is needed (Regulation T); under portfolio rules as many as lose it in a
    /// fall of 15 %. To the cent, below.
    pub fn for_shares(self, free: Money) -> Money {
        let hundredths = match self {
            AccountKind::Cash => 100,
            AccountKind::Margin => 50,
            AccountKind::Portfolio => 15,
        };
        Money::from_raw(free.max(Money::ZERO).raw() / hundredths * 100)
    }

    /// In one word.
    pub fn word(self) -> &'static str {
        match self {
            AccountKind::Cash => "cash",
            AccountKind::Margin => "margin",
            AccountKind::Portfolio => "portfolio",
        }
    }
}

/// The highest level of approval.
pub const HIGHEST_LEVEL: u8 = 5;
/// Least account value for portfolio rules (FINRA 4210(g) leaves 100,000 and more to the carrying
/// firm; from memory).
pub const PORTFOLIO_LEAST: Money = Money::whole(100_000);
/// What each level adds, in words.
pub const LEVELS: [&str; 6] = [
    "Level 0 allows covered calls, protective puts and collars.",
    "Level 1 also allows puts secured by cash.",
    "Level 2 also allows options bought.",
    "Level 3 also allows structures whose loss has a limit.",
    "Level 4 also allows uncovered puts on shares.",
    "Level 5 also allows uncovered calls, ratios, and what is sold uncovered on an index or a future.",
];

/// Kind and level of an account.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct AccountRules {
    /// How it is margined.
    pub kind: AccountKind,
    /// Approved up to here, 0 to 5.
    pub level: u8,
}

impl Default for AccountRules {
    fn default() -> AccountRules {
        AccountRules {
            kind: AccountKind::Margin,
            level: HIGHEST_LEVEL,
        }
    }
}

impl AccountRules {
    /// Highest level that counts: in a cash account nothing beyond bought options.
    pub fn allows(&self) -> u8 {
        if self.kind == AccountKind::Cash {
            self.level.min(2)
        } else {
            self.level
        }
    }

    /// "is approved up to level 3", or that a cash account goes no further.
    pub fn words(&self) -> String {
        if self.allows() < self.level {
            "is a cash account: it goes up to level 2".into()
        } else {
            format!("is approved up to level {}", self.level)
        }
    }

    /// Whether an uncovered put needs its whole strike: without approval for uncovered ones, and in
    /// a cash account.
    pub fn puts_secured(&self) -> bool {
        self.allows() < 4
    }
}
