//! A setting of a person, whichever it is.

use super::own::Own;
use super::tell::Tell;
use crate::data_driver::DataDriver;
use crate::registry::KeyValues;
use crate::setting::Setting;
use porter_names::Facts;

/// See the module.
pub trait PersonalSetting: Sync {
    /// Its id, or the part before the slash where there may be several: `mouse`, `drive`.
    fn id(&self) -> &'static str;

    /// Reads it, or all of them. Nothing where it is what every Windows has of itself.
    fn read(&self, own: &Own<'_>) -> Vec<Setting>;

    /// Facts that the new machine alone has, which are none of the old one's.
    fn of_machine(&self, facts: &Facts, drivers: &[DataDriver]) -> Facts {
        let _ = (facts, drivers);
        Facts::new()
    }

    /// The values that make it so in a registry. Facts that are missing set nothing.
    fn values(&self, facts: &Facts, there: &Own<'_>) -> Vec<KeyValues> {
        let _ = (facts, there);
        Vec::new()
    }

    /// The keys that it is in; whatever is below them is its own. None for what is only told.
    fn keys(&self) -> Vec<&'static str> {
        Vec::new()
    }

    /// True for a value that it may have in one of its keys; other things are in some of them.
    fn has_value(&self, key: &str, name: &str) -> bool {
        let _ = (key, name);
        true
    }

    /// True if a registry with `now` is as `then` was. Facts that a new system cannot know are not asked for.
    fn is_same(&self, then: &Facts, now: &Facts) -> bool {
        then.iter().all(|(name, value)| now.get(name) == Some(value))
    }

    /// The facts that a Windows of that build does not know.
    fn unknown_to(&self, build: u32, facts: &Facts) -> Vec<String> {
        let _ = (build, facts);
        Vec::new()
    }

    /// The facts that name programs. They are set only where they are the new Windows' own: a trunk must not
    /// bring a program that starts by itself.
    fn programs(&self) -> &'static [&'static str] {
        &[]
    }

    /// True for what only the person, or the installation of a program, can set.
    fn is_only_told(&self) -> bool {
        self.keys().is_empty()
    }

    /// The message to a session after one of its values was set.
    fn tells(&self, key: &str, name: &str) -> Tell {
        let _ = (key, name);
        Tell::Nothing
    }
}
