//! The drivers of printers, as a Windows lists them: `Control\\Print\\Environments` of the control set. Since
//! Windows Vista a driver comes from a package in the driver store, the folder of its `InfPath`.

use super::RegistryKey;

/// The lists, by the processors that the drivers are for.
const ENVIRONMENTS: [(&str, &str); 3] =
    [("Windows x64", "x64"), ("Windows ARM64", "arm64"), ("Windows NT x86", "x86")];
/// Drivers of both models.
const MODELS: [&str; 2] = ["Version-3", "Version-4"];
/// Where packages are, below the system's folder.
pub const STORE: &str = "System32/DriverStore/FileRepository";

/// A driver.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) struct PrinterDriver {
    /// `x64`, `x86` or `arm64`.
    pub(super) processor: &'static str,
    /// As its maker numbers it.
    pub(super) version: Option<String>,
    /// The name of its package's folder; none for one that came without.
    pub(super) package: Option<String>,
}

/// The driver of that name.
pub(super) fn named(control_set: &impl RegistryKey, name: &str) -> Option<PrinterDriver> {
    ENVIRONMENTS.iter().find_map(|(environment, processor)| {
        let known = key_of(control_set, environment, name)?;
        let text = |name: &str| known.text(name).filter(|text| !text.is_empty());
        Some(PrinterDriver {
            processor,
            version: text("DriverVersion"),
            package: text("InfPath").and_then(|path| package_of(&path)),
        })
    })
}

fn key_of<Key: RegistryKey>(control_set: &Key, environment: &str, name: &str) -> Option<Key> {
    let drivers = control_set.subkey(&format!("Control\\Print\\Environments\\{environment}\\Drivers"))?;
    MODELS.iter().find_map(|model| drivers.subkey(&format!("{model}\\{name}")))
}

/// The list of drivers for a kind of processor: `x64`, `x86` or `arm64`.
pub(crate) fn environment_of(processor: &str) -> Option<&'static str> {
    ENVIRONMENTS.iter().find_map(|(environment, known)| (*known == processor).then_some(*environment))
}

/// The path of the setup information that a driver came from, empty for one that came without a package; none
/// if that list has no such driver.
#[cfg(windows)]
pub(crate) fn origin_of(control_set: &impl RegistryKey, environment: &str, name: &str) -> Option<String> {
    Some(key_of(control_set, environment, name)?.text("InfPath").unwrap_or_default())
}

/// The folder's name in the path of an INF: `…\\FileRepository\\sail200.inf_amd64_0123\\sail200.inf`.
fn package_of(inf: &str) -> Option<String> {
    let mut steps = inf.rsplit(['\\', '/']);
    let (_, folder, store) = (steps.next()?, steps.next()?, steps.next()?);
    (store.eq_ignore_ascii_case("FileRepository") && !folder.is_empty() && !folder.contains(".."))
        .then(|| folder.to_owned())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_package_is_a_folder_of_the_store() {
        let inf = "C:\\Windows\\System32\\DriverStore\\FileRepository\\sail200.inf_amd64_01\\sail200.inf";
        assert_eq!(package_of(inf).as_deref(), Some("sail200.inf_amd64_01"));
        for other in ["C:\\Windows\\inf\\ntprint.inf", "x.inf", "FileRepository\\..\\x.inf", ""] {
            assert_eq!(package_of(other), None, "{other}");
        }
    }
}
