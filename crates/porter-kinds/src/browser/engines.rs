//! The engines there are.

use super::chromium::Chromium;
use super::engine::Engine;
use super::gecko::Gecko;
use super::safari::Safari;
use crate::catalogue::{CarryRule, EngineName};

/// The engine of a rule, if it has profiles.
pub fn engine_of(rule: &CarryRule) -> Option<&'static dyn Engine> {
    rule.profiles.as_ref().map(|profiles| match profiles.engine {
        EngineName::Gecko => &Gecko as &dyn Engine,
        EngineName::Chromium => &Chromium,
        EngineName::Safari => &Safari,
    })
}
