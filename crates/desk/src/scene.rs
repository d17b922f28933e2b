//! A point of the model world: a time from now and what happens to volatilities until then.

/// What happens to a volatility.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Shift {
    /// So much is added (0.01 is a point).
    Points(f64),
    /// It is multiplied by this.
    Factor(f64),
}

impl Shift {
    pub(crate) fn of(self, vol: f64) -> f64 {
        match self {
            Shift::Points(by) => vol + by,
            Shift::Factor(by) => vol * by,
        }
    }
}

/// What happens to all volatilities: one shift, and others in its place for some expirations.
#[derive(Debug, Clone, PartialEq)]
pub struct VolShift {
    /// Of every expiration that is not named.
    pub everywhere: Shift,
    /// Years to expiry, as the legs state them, and the shift there.
    pub at: Vec<(f64, Shift)>,
}

impl VolShift {
    pub(crate) fn shifted(&self, vol: f64, time: f64) -> f64 {
        self.at
            .iter()
            .find(|(expiry, _)| *expiry == time)
            .map_or(self.everywhere, |(_, shift)| *shift)
            .of(vol)
    }
}

impl From<Shift> for VolShift {
    fn from(everywhere: Shift) -> VolShift {
        VolShift {
            everywhere,
            at: Vec::new(),
        }
    }
}

/// A time from now and what happens to volatilities until then.
#[derive(Debug, Clone, PartialEq)]
pub struct Scene {
    /// Years from now.
    pub elapsed: f64,
    /// What happens to volatilities.
    pub vols: VolShift,
}

impl Scene {
    /// So many years from now, volatilities as they are.
    pub fn later(elapsed: f64) -> Scene {
        Scene {
            elapsed,
            vols: Shift::Points(0.0).into(),
        }
    }
}
