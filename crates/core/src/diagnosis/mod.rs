//! Finding out what is wrong.

mod halving;

pub use halving::{Cause, Evaluation, Halving, Next, Round};
