//! A Windows' name and version: the values of `SOFTWARE\Microsoft\Windows NT\CurrentVersion`.

/// The first build of Windows 11, which goes on calling itself Windows 10.
const FIRST_BUILD_OF_WINDOWS_11: u32 = 22_000;

/// Product and version, from the values of the given names.
pub fn product_and_version(value: &dyn Fn(&str) -> Option<String>) -> (Option<String>, Option<String>) {
    let build = value("CurrentBuild").or_else(|| value("CurrentBuildNumber"));
    let number = build.as_deref().and_then(|build| build.parse::<u32>().ok());
    let mut product = value("ProductName");
    if number.is_some_and(|number| number >= FIRST_BUILD_OF_WINDOWS_11) {
        product = product.map(|product| product.replacen("Windows 10", "Windows 11", 1));
    }
    if let (Some(product), Some(pack)) = (&mut product, value("CSDVersion")) {
        product.push_str(&format!(" {pack}"));
    }
    // Windows 10 and later keep 6.3 under the old name.
    let version = match (value("CurrentMajorVersionNumber"), value("CurrentMinorVersionNumber")) {
        (Some(major), Some(minor)) => Some(format!("{major}.{minor}")),
        _ => value("CurrentVersion"),
    };
    let version = match (version, build) {
        (Some(version), Some(build)) => Some(format!("{version}.{build}")),
        (version, _) => version,
    };
    (product, version)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_windows_11_that_says_10_is_known_by_its_build() {
        let said = |values: &'static [(&str, &str)]| {
            product_and_version(&|name| {
                values.iter().find(|(known, _)| *known == name).map(|(_, value)| (*value).to_owned())
            })
        };
        let eleven = said(&[
            ("ProductName", "Windows 10 Pro"),
            ("CurrentBuild", "22631"),
            ("CurrentMajorVersionNumber", "10"),
            ("CurrentMinorVersionNumber", "0"),
            ("CurrentVersion", "6.3"),
        ]);
        assert_eq!(eleven, (Some("Windows 11 Pro".into()), Some("10.0.22631".into())));
        let seven = said(&[
            ("ProductName", "Windows 7 Professional"),
            ("CSDVersion", "Service Pack 1"),
            ("CurrentBuild", "7601"),
            ("CurrentVersion", "6.1"),
        ]);
        assert_eq!(seven, (Some("Windows 7 Professional Service Pack 1".into()), Some("6.1.7601".into())));
    }
}
