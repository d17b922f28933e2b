//! Counter-based randomness: a number is a function of seed, stream and index, never of how many
//! were drawn before it. Mixing is the finaliser of SplitMix64 (Steele, Lea & Flood, "Fast
//! splittable pseudorandom number generators", 2014), applied once per word. The elementary
//! functions of the world come from `libm`, not from the system, so that another machine has the
//! same world to the last digit.

use desk::{Contract, Kind, day_number};

/// The streams of the world; each is independent of the others.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[repr(u64)]
pub(crate) enum Stream {
    Overnight = 1,
    Intraday,
    Variance,
    Bridge,
    Results,
    Width,
    Skew,
    Size,
    Volume,
    Interest,
    Fill,
    Last,
    Assignment,
    VarianceBridge,
}

#[derive(Debug, Clone, Copy)]
pub(crate) struct Noise {
    seed: u64,
    /// From this session on everything is drawn otherwise, for the laws about what nobody can know yet.
    #[cfg(test)]
    other_from: Option<i64>,
}

fn mix(mut z: u64) -> u64 {
    z = z.wrapping_add(0x9e37_79b9_7f4a_7c15);
    z = (z ^ (z >> 30)).wrapping_mul(0xbf58_476d_1ce4_e5b9);
    z = (z ^ (z >> 27)).wrapping_mul(0x94d0_49bb_1331_11eb);
    z ^ (z >> 31)
}

/// A number for a name, so that instruments may be listed in any order.
pub(crate) fn name_key(name: &str) -> u64 {
    name.bytes().fold(0xcbf2_9ce4_8422_2325, |h, b| {
        (h ^ u64::from(b)).wrapping_mul(0x0100_0000_01b3)
    })
}

/// A number for a contract.
pub(crate) fn contract_key(c: &Contract) -> u64 {
    mix(mix(name_key(&c.root) ^ c.strike.raw() as u64)
        ^ (2 * day_number(c.expiry) + i64::from(c.kind == Kind::Put)) as u64)
}

impl Noise {
    pub(crate) fn new(seed: u64) -> Noise {
        Noise {
            seed,
            #[cfg(test)]
            other_from: None,
        }
    }

    /// The same up to a session, and other draws from it on.
    #[cfg(test)]
    pub(crate) fn otherwise_from(self, session: usize) -> Noise {
        Noise {
            other_from: Some(session as i64),
            ..self
        }
    }

    #[cfg(not(test))]
    fn seed_of(self, _: Stream, _: i64) -> u64 {
        self.seed
    }

    #[cfg(test)]
    fn seed_of(self, stream: Stream, index: i64) -> u64 {
        let session = match stream {
            Stream::Overnight | Stream::Intraday | Stream::Variance | Stream::Results => index,
            Stream::Bridge | Stream::VarianceBridge => index >> 20,
            _ => return self.seed,
        };
        let other = self.other_from.is_some_and(|from| session >= from);
        self.seed ^ u64::from(other)
    }

    fn bits(self, stream: Stream, key: u64, index: i64) -> u64 {
        let seed = self.seed_of(stream, index);
        mix(mix(mix(seed ^ mix(stream as u64)) ^ key) ^ index as u64)
    }

    /// Uniform on the open interval (0, 1).
    pub(crate) fn uniform(self, stream: Stream, key: u64, index: i64) -> f64 {
        ((self.bits(stream, key, index) >> 11) as f64 + 0.5) / (1_u64 << 53) as f64
    }

    /// A draw from the standard normal law, by stream, key and place.
    pub(crate) fn normal(self, stream: Stream, key: u64, index: i64) -> f64 {
        quant::inverse_cdf(self.uniform(stream, key, index))
    }
}
