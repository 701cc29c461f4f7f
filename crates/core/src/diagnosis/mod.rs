//! Finding out what is wrong.

mod catch;
mod finder;
mod halving;
mod looping;
mod needs;
mod round;

pub use catch::{Catch, CatchAnswer, CatchNext, CatchView, STANDS_FOR};
pub use finder::{BadFinderLine, FaultFinder, Suspect, ToTry, suspects_of};
pub use halving::{Cause, Evaluation, Halving, Next, Round};
pub use looping::LoopWatch;
pub use needs::{CatchNeed, catch_needs};
pub use round::{RoundAnswers, read_round, round_requests};
