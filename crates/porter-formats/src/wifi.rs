//! A wireless network as a system knows it: a profile of Windows (the WLAN profile schema, version 1), or a
//! key file of NetworkManager (`nm-settings-keyfile(5)`).

use crate::FormatError;
use crate::xml::Element;

/// The longest name of a network (IEEE 802.11, 9.4.2.2).
const LONGEST_SSID_IN_BYTES: usize = 32;
const PROFILE: &str = "a WLAN profile";
const PROFILE_SCHEMA: &str = "http://www.microsoft.com/networking/WLAN/profile/v1";
const KEY_FILE: &str = "a key file of NetworkManager";

/// A network.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Network {
    /// Its name: bytes, which are text by custom alone.
    pub ssid: Vec<u8>,
    /// Who may come in.
    pub security: Security,
    /// True if it does not say its name.
    pub is_hidden: bool,
    /// True if the machine joins it by itself.
    pub is_automatic: bool,
    /// Its password, as far as it is known.
    pub password: Password,
}

/// The ways in which networks let in. Networks with a server for sign-ins have certificates and rules of
/// their own: more than these files hold.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Security {
    /// Everybody.
    Open,
    /// Everybody, each with a key of his own (OWE).
    EnhancedOpen,
    /// A key that can be broken.
    Wep,
    /// A password: WPA or WPA2.
    Personal,
    /// A password: WPA3 (SAE).
    Personal3,
    /// A server asks who it is.
    Enterprise,
}

/// A password, as far as a system's file tells it.
#[derive(Clone, PartialEq, Eq)]
pub enum Password {
    /// There is none in it: somebody types it, or a wallet has it.
    NotThere,
    /// It is there, and only its own system can read it.
    BoundToItsSystem,
    /// It is there.
    Is(String),
}

impl std::fmt::Debug for Password {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(match self {
            Self::NotThere => "NotThere",
            Self::BoundToItsSystem => "BoundToItsSystem",
            Self::Is(_) => "Is(…)",
        })
    }
}

impl Security {
    /// Its name among the facts of a network.
    pub fn name(self) -> &'static str {
        match self {
            Self::Open => "open",
            Self::EnhancedOpen => "enhanced-open",
            Self::Wep => "wep",
            Self::Personal => "personal",
            Self::Personal3 => "personal-3",
            Self::Enterprise => "enterprise",
        }
    }

    /// True if a password lets in.
    pub fn has_password(self) -> bool {
        matches!(self, Self::Personal | Self::Personal3)
    }

    /// The same the other way.
    pub fn from_name(name: &str) -> Option<Self> {
        let all =
            [Self::Open, Self::EnhancedOpen, Self::Wep, Self::Personal, Self::Personal3, Self::Enterprise];
        all.into_iter().find(|security| security.name() == name)
    }

    /// As a profile of Windows has it (`authentication`).
    fn of_windows(authentication: &str, encryption: &str) -> Option<Self> {
        Some(match (authentication, encryption) {
            ("open", "WEP") | ("shared", _) => Self::Wep,
            ("open", _) => Self::Open,
            ("OWE", _) => Self::EnhancedOpen,
            ("WPAPSK" | "WPA2PSK", _) => Self::Personal,
            ("WPA3SAE", _) => Self::Personal3,
            ("WPA" | "WPA2" | "WPA3" | "WPA3ENT" | "WPA3ENT192", _) => Self::Enterprise,
            _ => return None,
        })
    }

    /// As a key file has it (`key-mgmt`).
    fn of_key_file(key_management: Option<&str>) -> Option<Self> {
        Some(match key_management {
            None => Self::Open,
            Some("owe") => Self::EnhancedOpen,
            Some("none") => Self::Wep,
            Some("wpa-psk") => Self::Personal,
            Some("sae") => Self::Personal3,
            Some("wpa-eap" | "wpa-eap-suite-b-192" | "ieee8021x") => Self::Enterprise,
            Some(_) => return None,
        })
    }
}

impl Network {
    /// A profile of Windows.
    pub fn from_profile(file: &[u8]) -> Result<Self, FormatError> {
        let damaged = |detail: &str| FormatError::damaged(PROFILE, detail);
        let profile = Element::from_bytes(file, PROFILE)?;
        let value = |path: &str| profile.text(path);
        let ssid = match value("SSIDConfig/SSID/hex").map(from_hex) {
            Some(Some(ssid)) => ssid,
            Some(None) => return Err(damaged("the name is not in hexadecimal digits")),
            None => {
                let name =
                    value("SSIDConfig/SSID/name").ok_or_else(|| damaged("there is no name of a network"))?;
                name.as_bytes().to_vec()
            }
        };
        let how = "MSM/security/authEncryption";
        let text = |name: &str| value(&format!("{how}/{name}")).unwrap_or_default();
        let security = Security::of_windows(text("authentication"), text("encryption"));
        let key = value("MSM/security/sharedKey/keyMaterial").filter(|key| !key.is_empty());
        let is_open = value("MSM/security/sharedKey/protected") == Some("false");
        Self {
            ssid,
            security: security.ok_or_else(|| damaged("it lets in in a way that is not known here"))?,
            is_hidden: value("SSIDConfig/nonBroadcast") == Some("true"),
            is_automatic: value("connectionMode") != Some("manual"),
            password: match key {
                Some(key) if is_open => Password::Is(key.to_owned()),
                Some(_) => Password::BoundToItsSystem,
                None => Password::NotThere,
            },
        }
        .checked(PROFILE)
    }

    /// A key file of NetworkManager; none for a connection of another sort.
    pub fn from_key_file(file: &[u8]) -> Result<Option<Self>, FormatError> {
        let text = std::str::from_utf8(file).map_err(|cause| FormatError::damaged(KEY_FILE, cause))?;
        // Files of many years have the longer names.
        let get = |section: &str, name: &str| {
            let long = section.replace("wifi", "802-11-wireless");
            value_in(text, section, name).or_else(|| value_in(text, &long, name))
        };
        let Some(ssid) = get("wifi", "ssid") else { return Ok(None) };
        let key_management = get("wifi-security", "key-mgmt");
        let security = Security::of_key_file(key_management);
        let security = security
            .ok_or_else(|| FormatError::damaged(KEY_FILE, "it lets in in a way that is not known here"))?;
        let password =
            get("wifi-security", "psk").map(|psk| String::from_utf8_lossy(&unescaped(psk)).into_owned());
        let network = Self {
            ssid: ssid_of(ssid),
            security,
            is_hidden: get("wifi", "hidden") == Some("true"),
            is_automatic: get("connection", "autoconnect") != Some("false"),
            password: match password {
                Some(password) if !password.is_empty() => Password::Is(password),
                _ => Password::NotThere,
            },
        };
        network.checked(KEY_FILE).map(Some)
    }

    /// The key file by which NetworkManager knows it, under a number that no other connection has. None for a
    /// network that more belongs to than is known here.
    ///
    /// NetworkManager heeds such a file only if it is root's, and nobody else may read it.
    pub fn to_key_file(&self, uuid: &str) -> Option<String> {
        let key_management = match self.security {
            Security::Open => None,
            Security::EnhancedOpen => Some("owe"),
            Security::Personal => Some("wpa-psk"),
            Security::Personal3 => Some("sae"),
            Security::Wep | Security::Enterprise => return None,
        };
        let name = String::from_utf8_lossy(&self.ssid);
        let mut file = format!("[connection]\nid={}\nuuid={uuid}\ntype=wifi\n", escaped(&name));
        if !self.is_automatic {
            file.push_str("autoconnect=false\n");
        }
        file.push_str(&format!("\n[wifi]\nmode=infrastructure\nssid={}\n", escaped_ssid(&self.ssid)));
        if self.is_hidden {
            file.push_str("hidden=true\n");
        }
        if let Some(key_management) = key_management {
            file.push_str(&format!("\n[wifi-security]\nkey-mgmt={key_management}\n"));
            if let Password::Is(password) = &self.password {
                file.push_str(&format!("psk={}\n", escaped(password)));
            }
        }
        file.push_str("\n[ipv4]\nmethod=auto\n\n[ipv6]\nmethod=auto\n");
        Some(file)
    }

    /// The profile by which a Windows knows it. None for a network that more belongs to than is known here.
    ///
    /// A password stands in it as it is: the Windows that takes the profile keeps it for itself.
    pub fn to_profile(&self) -> Option<String> {
        let (authentication, encryption) = match self.security {
            Security::Open => ("open", "none"),
            Security::EnhancedOpen => ("OWE", "AES"),
            Security::Personal => ("WPA2PSK", "AES"),
            Security::Personal3 => ("WPA3SAE", "AES"),
            Security::Wep | Security::Enterprise => return None,
        };
        let name = quick_xml::escape::escape(self.profile_name()).into_owned();
        let hex: String = self.ssid.iter().map(|byte| format!("{byte:02X}")).collect();
        let (hidden, mode) = (self.is_hidden, if self.is_automatic { "auto" } else { "manual" });
        let key = match &self.password {
            Password::Is(password) if self.security.has_password() => {
                // A key of 64 digits is no password (IEEE 802.11 J.4.1).
                let kind = if password.len() == 64 { "networkKey" } else { "passPhrase" };
                let password = quick_xml::escape::escape(password.as_str());
                format!(
                    "<sharedKey><keyType>{kind}</keyType><protected>false</protected>\
                     <keyMaterial>{password}</keyMaterial></sharedKey>"
                )
            }
            _ => String::new(),
        };
        Some(format!(
            "<?xml version=\"1.0\"?>\n<WLANProfile xmlns=\"{PROFILE_SCHEMA}\"><name>{name}</name><SSIDConfig>\
             <SSID><hex>{hex}</hex></SSID><nonBroadcast>{hidden}</nonBroadcast></SSIDConfig>\
             <connectionType>ESS</connectionType><connectionMode>{mode}</connectionMode><MSM><security>\
             <authEncryption><authentication>{authentication}</authentication><encryption>{encryption}</encryption>\
             <useOneX>false</useOneX></authEncryption>{key}</security></MSM></WLANProfile>\n"
        ))
    }

    /// The name of its profile on a Windows: its own, or the digits of its bytes if they are no text.
    pub fn profile_name(&self) -> String {
        match std::str::from_utf8(&self.ssid) {
            Ok(text) if !text.chars().any(char::is_control) => text.to_owned(),
            _ => self.ssid.iter().map(|byte| format!("{byte:02X}")).collect(),
        }
    }

    fn checked(self, what: &'static str) -> Result<Self, FormatError> {
        let is_name = (1..=LONGEST_SSID_IN_BYTES).contains(&self.ssid.len());
        // IEEE 802.11 J.4.1: a password has 8 to 63 letters of ASCII, a key 64 digits.
        let is_password = match &self.password {
            Password::Is(password) if self.security == Security::Personal => {
                (8..=64).contains(&password.len()) && password.bytes().all(|byte| (32..127).contains(&byte))
            }
            Password::Is(password) => password.len() <= 256 && !password.chars().any(char::is_control),
            _ => true,
        };
        match (is_name, is_password) {
            (true, true) => Ok(self),
            (false, _) => Err(FormatError::damaged(what, "no network has a name of that length")),
            (_, false) => Err(FormatError::damaged(what, "no network has such a password")),
        }
    }
}

/// The bytes that pairs of hexadecimal digits stand for.
pub fn from_hex(digits: &str) -> Option<Vec<u8>> {
    let (pairs, []) = digits.as_bytes().as_chunks::<2>() else { return None };
    let digit = |byte: u8| char::from(byte).to_digit(16);
    pairs.iter().map(|[high, low]| Some((digit(*high)? * 16 + digit(*low)?) as u8)).collect()
}

/// A value as GLib reads it: blanks at its end are its own.
fn value_in<'t>(text: &'t str, section: &str, name: &str) -> Option<&'t str> {
    let mut is_in = false;
    text.lines().find_map(|line| {
        if let Some(title) = line.trim_end().strip_prefix('[').and_then(|title| title.strip_suffix(']')) {
            is_in = title == section;
        }
        let (own, value) = line.split_once('=').filter(|_| is_in && !line.starts_with('#'))?;
        (own.trim() == name).then(|| value.trim_start())
    })
}

/// Text, or the bytes as numbers: `76;111;`. A text has a sign before each semicolon.
fn ssid_of(value: &str) -> Vec<u8> {
    let numbers: Option<Vec<u8>> =
        value.strip_suffix(';').and_then(|list| list.split(';').map(|number| number.parse().ok()).collect());
    numbers.unwrap_or_else(|| String::from_utf8_lossy(&unescaped(value)).replace("\\;", ";").into_bytes())
}

/// As GLib writes the texts of key files.
fn unescaped(value: &str) -> Vec<u8> {
    let mut bytes = Vec::new();
    let mut rest = value.bytes();
    while let Some(byte) = rest.next() {
        match byte {
            b'\\' => match rest.next() {
                Some(b's') => bytes.push(b' '),
                Some(b'n') => bytes.push(b'\n'),
                Some(b't') => bytes.push(b'\t'),
                Some(b'r') => bytes.push(b'\r'),
                Some(other) => bytes.push(other),
                None => {}
            },
            other => bytes.push(other),
        }
    }
    bytes
}

fn escaped(text: &str) -> String {
    let mut escaped =
        text.replace('\\', "\\\\").replace('\n', "\\n").replace('\t', "\\t").replace('\r', "\\r");
    if escaped.starts_with(' ') {
        escaped.replace_range(..1, "\\s");
    }
    if escaped.ends_with(' ') {
        escaped.truncate(escaped.len() - 1);
        escaped.push_str("\\s");
    }
    escaped
}

fn escaped_ssid(ssid: &[u8]) -> String {
    match std::str::from_utf8(ssid) {
        // A name that looks like a list of numbers is written as one.
        Ok(text) if !text.contains([';', '\0']) => escaped(text),
        _ => ssid.iter().map(|byte| format!("{byte};")).collect(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn profile(inside: &str) -> String {
        format!(
            "<?xml version=\"1.0\"?>\r\n<WLANProfile xmlns=\"http://www.microsoft.com/networking/WLAN/profile/v1\">\r\n\t\
             <name>of the list</name>\r\n\t<SSIDConfig>\r\n{inside}\r\n</WLANProfile>\r\n"
        )
    }

    #[test]
    fn a_profile_of_windows_is_understood_and_its_key_is_not_taken_for_a_password() {
        let inside = "<SSID><hex>4c6f667420262053C3A9</hex><name>Loft &amp; S&#233;</name></SSID><nonBroadcast>true</nonBroadcast></SSIDConfig>\
            <connectionType>ESS</connectionType><connectionMode>manual</connectionMode><MSM><security><authEncryption>\
            <authentication>WPA2PSK</authentication><encryption>AES</encryption></authEncryption><sharedKey>\
            <keyType>passPhrase</keyType><protected>true</protected><keyMaterial>01000000D08C</keyMaterial></sharedKey></security></MSM>";
        let network = Network::from_profile(profile(inside).as_bytes()).unwrap();
        let expected = Network {
            ssid: "Loft & Sé".into(),
            security: Security::Personal,
            is_hidden: true,
            is_automatic: false,
            password: Password::BoundToItsSystem,
        };
        assert_eq!(network, expected);
        let by_name = inside
            .replace("<hex>4c6f667420262053C3A9</hex>", "")
            .replace("<protected>true", "<protected>false");
        let by_name = by_name.replace("01000000D08C", "forty &lt;kites&gt;");
        let network = Network::from_profile(profile(&by_name).as_bytes()).unwrap();
        assert_eq!(
            (network.ssid, network.password),
            ("Loft & Sé".into(), Password::Is("forty <kites>".into()))
        );
        for (was, is) in [("4c6f", "xx6f"), ("WPA2PSK", "WPA9"), ("</MSM>", ""), ("4c6f667420262053C3A9", "")]
        {
            assert!(Network::from_profile(profile(&inside.replace(was, is)).as_bytes()).is_err(), "{was}");
        }
    }

    #[test]
    fn a_profile_says_the_same_after_it_was_written() {
        for (ssid, security, password) in [
            (&b"Loft & S\xc3\xa9"[..], Security::Personal, Password::Is("forty <kites> \"&\"".to_owned())),
            (b"\xff \x00", Security::Personal3, Password::Is("a".repeat(64))),
            (b"Quay", Security::Open, Password::NotThere),
            (b"Sail", Security::EnhancedOpen, Password::NotThere),
        ] {
            let network =
                Network { ssid: ssid.to_vec(), security, is_hidden: true, is_automatic: false, password };
            let file = network.to_profile().unwrap();
            assert_eq!(Network::from_profile(file.as_bytes()).unwrap(), network, "{file}");
        }
        let named = |ssid: &[u8]| {
            let network = Network {
                ssid: ssid.to_vec(),
                security: Security::Enterprise,
                is_hidden: false,
                is_automatic: true,
                password: Password::NotThere,
            };
            assert_eq!(network.to_profile(), None, "a server's certificates are not known here");
            network.profile_name()
        };
        assert_eq!((named(b"Loft"), named(b"\xff\x01")), ("Loft".to_owned(), "FF01".to_owned()));
    }

    #[test]
    fn a_key_file_says_the_same_after_it_was_written() {
        for (ssid, password) in
            [("Loft", "forty kites"), (" a\\b ", "  forty\\kites "), ("76;111;", "12345678")]
        {
            let network = Network {
                ssid: ssid.into(),
                security: Security::Personal,
                is_hidden: true,
                is_automatic: false,
                password: Password::Is(password.to_owned()),
            };
            let file = network.to_key_file("4f1d5f0a-0000-4000-8000-000000000001").unwrap();
            assert_eq!(Network::from_key_file(file.as_bytes()).unwrap(), Some(network), "{file}");
        }
        let bytes = Network {
            ssid: vec![0xff, 0x20],
            security: Security::Open,
            is_hidden: false,
            is_automatic: true,
            password: Password::NotThere,
        };
        let file = bytes.to_key_file("x").unwrap();
        assert!(file.contains("ssid=255;32;\n") && !file.contains("security"), "{file}");
        assert_eq!(Network::from_key_file(file.as_bytes()).unwrap(), Some(bytes.clone()));
        assert_eq!(Network { security: Security::Enterprise, ..bytes }.to_key_file("x"), None);
        let old = "[connection]\nid=x\n[802-11-wireless]\nssid=76;111;102;116;\n[802-11-wireless-security]\nkey-mgmt=wpa-psk\npsk-flags=1\n";
        let old = Network::from_key_file(old.as_bytes()).unwrap().unwrap();
        assert_eq!(
            (old.ssid.as_slice(), old.password, old.is_automatic),
            (&b"Loft"[..], Password::NotThere, true)
        );
        assert_eq!(Network::from_key_file(b"[connection]\ntype=ethernet\n").unwrap(), None);
        let of_library = "[connection]\nid=x\n\n[wifi]\nssid=\\s76\\\\;111\\\\; \n[wifi-security]\nkey-mgmt=wpa-psk\npsk=\\\\ and ; too \n";
        let spaced = Network::from_key_file(of_library.as_bytes()).unwrap().unwrap();
        assert_eq!(
            (spaced.ssid.as_slice(), spaced.password),
            (&b" 76;111; "[..], Password::Is("\\ and ; too ".to_owned()))
        );
        for file in [
            "[wifi]\nssid=\n",
            "[wifi]\nssid=x\n[wifi-security]\nkey-mgmt=wpa-psk\npsk=short\n",
            "[wifi]\nssid=x\n[wifi-security]\nkey-mgmt=odd\n",
        ] {
            assert!(Network::from_key_file(file.as_bytes()).is_err(), "{file}");
        }
    }
}
