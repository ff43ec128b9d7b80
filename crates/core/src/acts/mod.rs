//! Acts: what a person does to clips and drawers, and can take back. Each act is planned on the history as it is,
//! without touching anything: the plan says what every clip and drawer it touches becomes.
//!
//! What a copy makes of a clip, what another device's record makes of one, and what a drawer that comes from elsewhere makes
//! of the drawers, is planned here too.

pub mod act;
mod arrive;
mod batch;
pub mod bring_drawer;
mod bring_up;
pub mod capture;
pub mod clear;
pub mod cleared;
mod color;
mod divider;
mod drawer;
mod edit;
pub mod error;
pub mod face;
mod keep;
pub mod kind;
pub mod log;
pub mod moment;
mod placing;
pub mod plan;
pub mod planning;
pub mod record;
mod remove;
pub mod step;
mod title;

pub use act::{Act, BatchChange, DrawerChange, ItemsChange, Place};
pub use arrive::{Arrived, arrive};
pub use capture::{Copied, Extra, capture};
pub use clear::{Part, clear_one, far_ahead, is_member, step_part};
pub use cleared::ClearRecord;
pub use error::{ActError, Obstacle};
pub use kind::ActKind;
pub use log::{ActEntry, ActLog, Direction};
pub use moment::Moment;
pub use placing::drawer_called;
pub use plan::Plan;
pub use planning::plan;
pub use record::ActRecord;
pub use step::{Stepped, step};
