//! The controls there are.

use super::control::Control;
use super::control::account::Accounts;
use super::control::account_picture::AccountPictures;
use super::control::data_source::DataSources;
use super::control::installed_font::InstalledFonts;
use super::control::printer_driver::PrinterDrivers;
use super::control::printing::{PrintQueues, UsualPrinter};
use super::control::registry_key::RegistryKeys;
use super::control::registry_value::RegistryValues;
use super::control::scheduled_task::ScheduledTasks;
use super::control::shared_folder::SharedFolders;
use super::control::system_setting::SystemSettings;
use super::control::wifi_network::WifiNetworks;

/// Every control that comes with porter.
pub static BUILT_IN: &[&dyn Control] = &[
    &Accounts,
    &RegistryValues,
    &RegistryKeys,
    &PrinterDrivers,
    &PrintQueues,
    &UsualPrinter,
    &SystemSettings,
    &SharedFolders,
    &WifiNetworks,
    &AccountPictures,
    &DataSources,
    &ScheduledTasks,
    &InstalledFonts,
];

/// The one of that name.
pub fn named(among: &[&'static dyn Control], name: &str) -> Option<&'static dyn Control> {
    among.iter().copied().find(|control| control.name() == name)
}
