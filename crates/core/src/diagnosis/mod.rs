//! Finding out what is wrong.

mod catch;
mod check;
mod drift;
mod finder;
mod halving;
mod life;
mod look;
mod looping;
mod needs;
mod round;
mod since;
mod thin;
mod update_break;

pub use catch::{Catch, CatchAnswer, CatchNext, CatchView, STANDS_FOR};
pub use check::{BadCheck, Check};
pub use drift::{Drift, DriftBy, DriftKind, drift, in_short};
pub use finder::{BadFinderLine, FaultFinder, Suspect, ToTry, suspects_of};
pub use halving::{Cause, Evaluation, Halving, Next, Round};
pub use life::{Life, LifePoint, Moment, MomentKind};
pub use look::{Look, LookHead, LookedAt, Role, Source};
pub use looping::LoopWatch;
pub use needs::{CatchNeed, catch_needs};
pub use round::{RoundAnswers, read_round, round_requests};
pub use since::Since;
pub use thin::thinned;
pub use update_break::{BadBreakLine, BreakItem, BreakNeed, BreakView, UpdateBreak, in_use_again};
