//! What became of a package on other devices of the same model and build.

/// On how many of them it was taken out, and put back.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Elsewhere {
    /// On so many it was taken out.
    pub taken_out: usize,
    /// On so many of those it was put back later.
    pub put_back: usize,
    /// On so many of those while something else that had gone with it stayed out, or alone as it had gone: it was missed.
    pub missed: usize,
}

impl Elsewhere {
    /// Whether it was missed on at least every other device that it was taken out of.
    pub fn is_missed(&self) -> bool {
        self.missed > 0 && self.missed * 2 >= self.taken_out
    }

    /// In words.
    pub fn words(&self) -> String {
        let devices =
            if self.taken_out == 1 { "1 other device".to_owned() } else { format!("{} other devices", self.taken_out) };
        let back = match (self.put_back, self.taken_out) {
            (0, _) => "has not been put back there".to_owned(),
            (1, 1) => "was put back there later".to_owned(),
            (n, all) if n == all => "was put back on all of them later".to_owned(),
            (n, _) => format!("was put back on {n} of them later"),
        };
        format!("On {devices} of this model and build it was taken out, and {back}.")
    }
}
