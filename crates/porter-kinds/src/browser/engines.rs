//! The engines there are.

use super::chromium::Chromium;
use super::engine::Engine;
use super::gecko::Gecko;
use super::safari::Safari;
use crate::catalogue::{CarryRule, EngineName};

/// The engine of a rule, if it has profiles of a browser.
pub fn engine_of(rule: &CarryRule) -> Option<&'static dyn Engine> {
    Some(match rule.profiles.as_ref()?.engine {
        EngineName::Gecko => &Gecko as &dyn Engine,
        EngineName::Chromium => &Chromium,
        EngineName::Safari => &Safari,
        EngineName::Thunderbird => return None,
    })
}
