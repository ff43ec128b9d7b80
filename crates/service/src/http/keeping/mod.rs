//! What is kept: limits, rules, standing orders, and every other setting.

pub(super) mod autostart;
pub(super) mod limits;
pub(super) mod orders;
pub(super) mod rules;
pub(super) mod settings;
