//! How much is kept and for how long; what a clearing takes; and what goes when limits are obeyed. Everything here is a
//! pure function of the clips, the limits and the time: the preview and the act are one plan.

pub mod limit;
pub mod order;
pub mod plan;
pub mod scope;

pub use limit::{Limit, LimitError, Limits};
pub use order::{Occasion, Order, OrderError};
pub use plan::{
    FEW, Foresight, Going, Of, Outlook, Plan, Planner, Sweep, Sweeper, Which, Why, outlook, plan,
};
pub use scope::Scope;
