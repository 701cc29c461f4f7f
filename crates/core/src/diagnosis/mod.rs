//! Finding out what is wrong.

mod catch;
mod drift;
mod finder;
mod halving;
mod look;
mod looping;
mod needs;
mod round;

pub use catch::{Catch, CatchAnswer, CatchNext, CatchView, STANDS_FOR};
pub use drift::{Drift, DriftBy, DriftKind, drift};
pub use finder::{BadFinderLine, FaultFinder, Suspect, ToTry, suspects_of};
pub use halving::{Cause, Evaluation, Halving, Next, Round};
pub use look::{Look, LookedAt, Source};
pub use looping::LoopWatch;
pub use needs::{CatchNeed, catch_needs};
pub use round::{RoundAnswers, read_round, round_requests};
