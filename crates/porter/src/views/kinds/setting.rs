//! The commands to type on the new machine for a setting or a printer that a person sets up.
//!
//! Values come from the old machine and may hold anything, and people paste what stands here: every value is
//! quoted so that no shell takes any of it for a command.

use crate::views::kind::KindWords;
use crate::views::task::Task;
use porter_kinds::printer_driver::{folder_name, id_of};
use porter_kinds::receipt::{Finding, ItemReceipt, Reason, Receipt, Verdict};
use porter_machine::computer_name::fits;
use porter_machine::keyboard_layout;
use porter_machine::layout::Family;
use porter_machine::power_plan::{PLAN, Source, number_of, value_of};
use porter_names::Facts;
use porter_names::screen::on_screen;

/// A network that came without its password.
pub(crate) const WIFI_WITHOUT_PASSWORD: &str = "choose the network and type its password";

/// Settings and printers.
pub(super) struct Settings {
    /// `setting` or `printer`.
    pub(super) kind: &'static str,
    /// For many of them.
    pub(super) heading: &'static str,
}

impl KindWords for Settings {
    fn kind(&self) -> &'static str {
        self.kind
    }

    fn heading(&self) -> &'static str {
        self.heading
    }

    fn tasks(&self, item: &ItemReceipt, receipt: &Receipt) -> Vec<Task> {
        let task = item.set_by_hand().map(|now| {
            let steps = steps(&item.id, &item.facts, new_system(receipt));
            Task {
                how: steps.how,
                commands: steps.commands,
                was_and_now: Some((values(&item.facts), values(now))),
                ..Task::about(item)
            }
        });
        let driver = item.findings.iter().find_map(|finding| match &finding.reason {
            Reason::PrinterWithoutDriver { driver } => Some(on_screen(driver.as_bytes())),
            _ => None,
        });
        let driver = driver.map(|driver| Task {
            how: format!("its driver ({driver}) is not here: choose its model in the settings of printers"),
            ..Task::about(item)
        });
        let has_no_password =
            item.findings.iter().any(|finding| matches!(finding.reason, Reason::WifiWithoutPassword));
        let password =
            has_no_password.then(|| Task { how: WIFI_WITHOUT_PASSWORD.to_owned(), ..Task::about(item) });
        task.into_iter().chain(driver).chain(password).collect()
    }
}

/// Networks and print systems that are kept in files: their values are among the settings and printers, each
/// with its task.
pub(super) struct KeptInFiles {
    pub(super) kind: &'static str,
    pub(super) heading: &'static str,
    /// The ids of the items whose values are shown so.
    pub(super) told: &'static [&'static str],
}

impl KindWords for KeptInFiles {
    fn kind(&self) -> &'static str {
        self.kind
    }

    fn heading(&self) -> &'static str {
        self.heading
    }

    fn tells_what_is_kept(&self, item: &ItemReceipt) -> bool {
        self.told.contains(&item.id.as_str())
    }
}

/// Packages of drivers: a printer that needs one says so.
pub(super) struct PrinterDrivers;

impl KindWords for PrinterDrivers {
    fn kind(&self) -> &'static str {
        "printer-driver"
    }

    fn heading(&self) -> &'static str {
        "Drivers of printers"
    }

    fn tells_what_is_kept(&self, _: &ItemReceipt) -> bool {
        true
    }

    fn tasks(&self, item: &ItemReceipt, receipt: &Receipt) -> Vec<Task> {
        let lies_there = |finding: &Finding| {
            finding.verdict == Verdict::Landed && matches!(finding.reason, Reason::DriverNotInstalled { .. })
        };
        let fact = |name: &str| item.facts.get(name).map(String::as_str);
        let commands = |(package, driver): (&str, &str)| {
            let folder = format!("Documents\\{}\\{package}\\*.inf", folder_name(&receipt.trunk.machine.name));
            vec![
                format!(
                    "pnputil /add-driver (Join-Path $env:PUBLIC {}) /install",
                    in_single_quotes_of_powershell(&folder)
                ),
                format!("Add-PrinterDriver -Name {}", in_single_quotes_of_powershell(driver)),
            ]
        };
        let install = item.findings.iter().any(lies_there).then(|| Task {
            how: format!("its files are in the public documents: install it {POWERSHELL_AS_ADMINISTRATOR}"),
            commands: fact("driver-package").zip(fact("driver")).map(commands).unwrap_or_default(),
            ..Task::about(item)
        });
        install.into_iter().collect()
    }
}

/// The task, and its commands.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct Steps {
    /// Where to type it, or what to do if there is nothing to type.
    pub(crate) how: String,
    /// Commands, one after the other.
    pub(crate) commands: Vec<String>,
}

const POWERSHELL: &str = "in PowerShell, signed in as that person";
const POWERSHELL_AS_ADMINISTRATOR: &str = "in PowerShell, as administrator";
const TERMINAL: &str = "in a terminal";

/// For the item with this id, on a system of that family.
pub(crate) fn steps(item_id: &str, facts: &Facts, to: Family) -> Steps {
    let (owner, below) = item_id.split_once('/').unwrap_or(("", item_id));
    let of_machine = owner == "machine";
    let fact = |name: &str| facts.get(name).map(String::as_str);
    match to {
        Family::Windows | Family::Drive => on_windows(below, of_machine, facts, &fact),
        Family::Linux | Family::MacOs => on_unix(below, facts, &fact, to),
    }
}

fn on_windows<'f>(
    below: &str,
    of_machine: bool,
    facts: &'f Facts,
    fact: &dyn Fn(&str) -> Option<&'f str>,
) -> Steps {
    let q = in_single_quotes_of_powershell;
    let registry = |key: &str, values: &[(&str, &str)]| {
        let line = |(fact_name, value): &(&str, &str)| {
            let is_number = *fact_name == "hidden" || *fact_name == "hide-extensions";
            let kind = if is_number { "REG_DWORD" } else { "REG_SZ" };
            Some(format!("reg add 'HKCU\\{key}' /v {value} /t {kind} /d {} /f", q(fact(fact_name)?)))
        };
        values.iter().filter_map(line).collect::<Vec<_>>()
    };
    let typed = |how: &str, commands: Vec<String>| Steps { how: how.to_owned(), commands };
    match below.strip_prefix("setting/").unwrap_or(below) {
        "computer-name" => match fact("name") {
            Some(name) if fits(name, Family::Windows) => typed(
                &format!("{POWERSHELL_AS_ADMINISTRATOR}; then restart"),
                vec![format!("(Get-WmiObject Win32_ComputerSystem).Rename({})", q(name))],
            ),
            Some(_) => by_eye(
                "Windows takes no such name: choose one of at most 15 letters, digits and hyphens under Settings",
                facts,
            ),
            None => by_eye("give it under Settings", facts),
        },
        "time-zone" => match fact("windows") {
            Some(name) => typed(POWERSHELL_AS_ADMINISTRATOR, vec![format!("tzutil /s {}", q(name))]),
            None => by_eye("choose it under Date and time", facts),
        },
        "locale" => match fact("name") {
            Some(name) => typed(POWERSHELL, vec![format!("Set-Culture {}", q(&culture(name)))]),
            None => by_eye("choose it under Region", facts),
        },
        "keyboard" => {
            let of_others = || fact("layouts").unwrap_or_default().split(',');
            let numbers: Vec<&str> = match fact("windows-layouts") {
                Some(numbers) => numbers.split_whitespace().collect(),
                None => of_others().filter_map(keyboard_layout::on_windows).collect(),
            };
            let line = |(at, number): (usize, &&str)| {
                let at = at + 1;
                format!("reg add 'HKCU\\Keyboard Layout\\Preload' /v {at} /t REG_SZ /d {} /f", q(number))
            };
            if numbers.is_empty() {
                by_eye("add it under Language", facts)
            } else {
                typed(
                    &format!("{POWERSHELL}; then sign out and in"),
                    numbers.iter().enumerate().map(line).collect(),
                )
            }
        }
        "mouse" => {
            let mut commands = registry(
                "Control Panel\\Mouse",
                &[
                    ("swap-buttons", "SwapMouseButtons"),
                    ("double-click-speed", "DoubleClickSpeed"),
                    ("sensitivity", "MouseSensitivity"),
                ],
            );
            commands.extend(registry("Control Panel\\Desktop", &[("wheel-lines", "WheelScrollLines")]));
            typed(&format!("{POWERSHELL}; then sign out and in"), commands)
        }
        "accessibility" => {
            let mut commands = Vec::new();
            for (name, key) in [
                ("sticky-keys", "StickyKeys"),
                ("filter-keys", "Keyboard Response"),
                ("toggle-keys", "ToggleKeys"),
                ("mouse-keys", "MouseKeys"),
                ("high-contrast", "HighContrast"),
            ] {
                commands
                    .extend(registry(&format!("Control Panel\\Accessibility\\{key}"), &[(name, "Flags")]));
            }
            typed(&format!("{POWERSHELL}; then sign out and in"), commands)
        }
        "file-view" => typed(
            POWERSHELL,
            registry(
                "Software\\Microsoft\\Windows\\CurrentVersion\\Explorer\\Advanced",
                &[("hidden", "Hidden"), ("hide-extensions", "HideFileExt")],
            ),
        ),
        "environment" => {
            let (whose, how) =
                if of_machine { ("Machine", POWERSHELL_AS_ADMINISTRATOR) } else { ("User", POWERSHELL) };
            let line = |(name, value): (&String, &String)| {
                format!("[Environment]::SetEnvironmentVariable({}, {}, '{whose}')", q(name), q(value))
            };
            typed(how, facts.iter().map(line).collect())
        }
        "default-printer" => typed(
            POWERSHELL,
            fact("name")
                .map(|name| format!("rundll32 printui.dll,PrintUIEntry /y /n {}", q(name)))
                .into_iter()
                .collect(),
        ),
        drive if drive.starts_with("drive/") => match (fact("letter"), fact("server-folder")) {
            (Some(letter), Some(folder)) => {
                let user =
                    fact("signed-in-as").map(|name| format!(" * /user:{}", q(name))).unwrap_or_default();
                typed(
                    POWERSHELL,
                    vec![format!("net use {} {}{user} /persistent:yes", q(&format!("{letter}:")), q(folder))],
                )
            }
            _ => by_eye("connect it under This PC", facts),
        },
        "power" => match fact(PLAN).and_then(number_of) {
            Some(plan) => typed(POWERSHELL_AS_ADMINISTRATOR, power_commands(plan, facts)),
            None => by_eye("choose a plan under Power options: the old one was its maker's", facts),
        },
        share if share.starts_with("share/") => match (fact("name"), fact("folder")) {
            (Some(name), Some(folder)) => {
                let remark = fact("comment").map(|text| format!(" {}", q(&format!("/remark:{text}"))));
                typed(
                    &format!("{POWERSHELL_AS_ADMINISTRATOR}; then look who may use it"),
                    vec![format!(
                        "net share {}{}",
                        q(&format!("{name}={folder}")),
                        remark.unwrap_or_default()
                    )],
                )
            }
            _ => by_eye("share the folder in its properties", facts),
        },
        source if source.starts_with("odbc/") => match (fact("name"), fact("driver")) {
            (Some(name), Some(driver)) => {
                let is_value = |name: &str| !["name", "driver", "bits"].contains(&name);
                let values: Vec<String> = facts
                    .iter()
                    .filter(|(name, _)| is_value(name))
                    .map(|(name, value)| q(&format!("{name}={value}")))
                    .collect();
                let kind = if of_machine { "System" } else { "User" };
                let bits = fact("bits").filter(|bits| ["32", "64"].contains(bits));
                let platform = bits.map(|bits| format!(" -Platform '{bits}-bit'")).unwrap_or_default();
                let values = if values.is_empty() {
                    String::new()
                } else {
                    format!(" -SetPropertyValue @({})", values.join(", "))
                };
                typed(
                    &format!(
                        "install its driver, and {POWERSHELL_AS_ADMINISTRATOR}; passwords are typed in the programs"
                    ),
                    vec![format!(
                        "Add-OdbcDsn -Name {} -DriverName {} -DsnType {kind}{platform}{values}",
                        q(name),
                        q(driver)
                    )],
                )
            }
            _ => by_eye("add it under ODBC data sources", facts),
        },
        "default-programs" => by_eye("Windows lets only the person choose: ms-settings:defaultapps", facts),
        "autostart" => by_eye("install the programs: each has a place in its settings for that", facts),
        wifi if wifi.starts_with("wifi/") => by_eye(WIFI_WITHOUT_PASSWORD, facts),
        "hosts" => {
            let file = "$env:SystemRoot\\System32\\drivers\\etc\\hosts";
            let line = |line: String| format!("Add-Content -Path \"{file}\" -Value {}", q(&line));
            typed(POWERSHELL_AS_ADMINISTRATOR, lines_of_hosts(facts).map(line).collect())
        }
        printer if printer.starts_with("printer/") => {
            match (fact("server-printer"), fact("address"), fact("name")) {
                (Some(path), ..) => {
                    typed(POWERSHELL, vec![format!("rundll32 printui.dll,PrintUIEntry /in /n {}", q(path))])
                }
                (_, Some(address), Some(name)) if address.starts_with("ipp") => {
                    let web = address.replacen("ipp", "http", 1);
                    let line = format!("Add-Printer -Name {} -IppURL {}", q(name), q(&web));
                    typed(&format!("{POWERSHELL_AS_ADMINISTRATOR}, since Windows 11"), vec![line])
                }
                (_, Some(address), Some(name)) => {
                    let host = host_of(address);
                    let port = format!("IP_{host}");
                    let kind = match (fact("protocol"), address.strip_prefix("lpd://")) {
                        (Some("lpr"), _) => {
                            let queue = fact("queue").unwrap_or("print");
                            format!("-LprHostAddress {} -LprQueueName {}", q(host), q(queue))
                        }
                        (_, Some(rest)) => {
                            let queue = rest.split_once('/').map_or("print", |(_, queue)| queue);
                            format!("-LprHostAddress {} -LprQueueName {}", q(host), q(queue))
                        }
                        _ => format!("-PrinterHostAddress {}", q(host)),
                    };
                    let mut lines = vec![format!("Add-PrinterPort -Name {} {kind}", q(&port))];
                    let driver = fact("driver").unwrap_or("NAME OF THE DRIVER");
                    lines.push(format!(
                        "Add-Printer -Name {} -DriverName {} -PortName {}",
                        q(name),
                        q(driver),
                        q(&port)
                    ));
                    let packed = fact("driver-package").and(fact("driver")).map(|driver| {
                        lines.insert(0, format!("Add-PrinterDriver -Name {}", q(driver)));
                        let item = id_of(driver);
                        format!(
                            " (it is in the trunk: porter restore TRUNK here --install-drivers, on the running Windows; or porter take \
                             TRUNK {item} FOLDER, then pnputil /add-driver FOLDER\\*.inf /install)"
                        )
                    });
                    let how = format!(
                        "install its driver{}, and {POWERSHELL_AS_ADMINISTRATOR}",
                        packed.unwrap_or_default()
                    );
                    typed(&how, lines)
                }
                _ => by_eye("connect it, and install its driver", facts),
            }
        }
        "wallpaper" => {
            by_eye("the picture lands with the other files; right-click it, and set it as background", facts)
        }
        _ => by_eye("set it up under Settings", facts),
    }
}

fn on_unix<'f>(below: &str, facts: &'f Facts, fact: &dyn Fn(&str) -> Option<&'f str>, to: Family) -> Steps {
    let q = in_single_quotes_of_shell;
    let typed = |line: String| Steps { how: TERMINAL.to_owned(), commands: vec![line] };
    let is_linux = to == Family::Linux;
    match below.strip_prefix("setting/").unwrap_or(below) {
        "computer-name" => match fact("name") {
            Some(name) if is_linux => typed(format!("sudo hostnamectl set-hostname {}", q(name))),
            Some(name) => typed(format!("sudo scutil --set ComputerName {}", q(name))),
            None => by_eye("give it under Settings", facts),
        },
        "time-zone" => match fact("iana") {
            Some(name) if is_linux => typed(format!("sudo timedatectl set-timezone {}", q(name))),
            Some(name) => typed(format!("sudo systemsetup -settimezone {}", q(name))),
            None => by_eye("choose it under Date and time", facts),
        },
        "locale" if is_linux => match fact("name") {
            Some(name) => {
                let name = culture(name).replace('-', "_");
                typed(format!("sudo localectl set-locale LANG={}", q(&format!("{name}.UTF-8"))))
            }
            None => by_eye("choose it under Region", facts),
        },
        "keyboard" if is_linux => {
            let of_windows = fact("windows-layouts").unwrap_or_default().split_whitespace();
            let known: Vec<&str> = of_windows.filter_map(keyboard_layout::of_windows).collect();
            match (fact("layouts"), known.is_empty()) {
                (Some(layouts), _) => typed(format!("sudo localectl set-x11-keymap {}", q(layouts))),
                (None, false) => typed(keymap_command(&known)),
                (None, true) => by_eye("add it under Keyboard", facts),
            }
        }
        "mouse" | "typing" | "file-view" | "text-size" | "accessibility" if is_linux => {
            let commands = gnome_commands(facts);
            if commands.is_empty() {
                by_eye("set it up under Settings", facts)
            } else {
                let how = "in a terminal, signed in as that person; on a desktop of GNOME's family";
                Steps { how: how.to_owned(), commands }
            }
        }
        "environment" => {
            let line = |(name, value): (&String, &String)| {
                format!("echo {} >> ~/.profile", q(&format!("export {name}={}", q(value))))
            };
            // A shell takes only these for names.
            let is_name = |name: &str| name.chars().all(|c| c.is_ascii_alphanumeric() || c == '_');
            let lines = facts.iter().filter(|(name, _)| is_name(name)).map(line).collect();
            Steps { how: TERMINAL.to_owned(), commands: lines }
        }
        "default-printer" => match fact("name") {
            Some(name) => typed(format!("lpoptions -d {}", q(&queue_name(name)))),
            None => by_eye("choose it under Printers", facts),
        },
        drive if drive.starts_with("drive/") => match fact("server-folder") {
            Some(folder) => by_eye(&format!("connect to server smb:{}", folder.replace('\\', "/")), facts),
            None => by_eye("connect to the server", facts),
        },
        wifi if wifi.starts_with("wifi/") => by_eye(WIFI_WITHOUT_PASSWORD, facts),
        "hosts" => {
            let line = |line: String| format!("echo {} | sudo tee -a /etc/hosts", q(&line));
            Steps { how: TERMINAL.to_owned(), commands: lines_of_hosts(facts).map(line).collect() }
        }
        printer if printer.starts_with("printer/") => match (fact("name"), fact("address")) {
            (Some(name), Some(address)) => {
                let address = if address.contains("://") {
                    address.to_owned()
                } else {
                    format!("ipp://{address}/ipp/print")
                };
                typed(format!("sudo lpadmin -p {} -E -v {} -m everywhere", q(&queue_name(name)), q(&address)))
            }
            _ => by_eye("add it under Printers", facts),
        },
        _ => by_eye("set it up under Settings", facts),
    }
}

/// A line for each name.
fn lines_of_hosts(facts: &Facts) -> impl Iterator<Item = String> {
    let of_name = |(name, addresses): (&String, &String)| {
        addresses.split(' ').map(|address| format!("{address} {name}")).collect::<Vec<_>>()
    };
    facts.iter().flat_map(of_name)
}

/// `fr(bepo)` is a layout and its variant, which are told apart.
fn keymap_command(layouts: &[&str]) -> String {
    let parts = layouts.iter().map(|layout| match layout.split_once('(') {
        Some((name, variant)) => (name, variant.trim_end_matches(')')),
        None => (*layout, ""),
    });
    let (names, variants): (Vec<&str>, Vec<&str>) = parts.unzip();
    let q = in_single_quotes_of_shell;
    if variants.iter().all(|variant| variant.is_empty()) {
        return format!("sudo localectl set-x11-keymap {}", q(&names.join(",")));
    }
    format!("sudo localectl set-x11-keymap {} '' {}", q(&names.join(",")), q(&variants.join(",")))
}

/// Commands of `gsettings` for settings of a Windows. Only numbers that are known come into a command.
fn gnome_commands(facts: &Facts) -> Vec<String> {
    let number = |name: &str| facts.get(name)?.parse::<u32>().ok();
    let set = |schema: &str, key: &str, value: &str| format!("gsettings set {schema} {key} {value}");
    let switch = |on: bool| if on { "true" } else { "false" };
    let mut commands = Vec::new();
    if let Some(swapped) = number("swap-buttons") {
        let value = switch(swapped == 1);
        commands.push(set("org.gnome.desktop.peripherals.mouse", "left-handed", value));
    }
    if let Some(milliseconds) = number("double-click-speed") {
        let value = milliseconds.to_string();
        commands.push(set("org.gnome.desktop.peripherals.mouse", "double-click", &value));
    }
    // Windows' four steps are quarters of a second.
    if let Some(step) = number("delay").filter(|step| *step <= 3) {
        let value = ((step + 1) * 250).to_string();
        commands.push(set("org.gnome.desktop.peripherals.keyboard", "delay", &value));
    }
    if let Some(hidden) = number("hidden") {
        let value = switch(hidden == 1);
        commands.push(set("org.gtk.Settings.FileChooser", "show-hidden", value));
    }
    if let Some(percent) = number("percent") {
        let value = format!("{}.{:02}", percent / 100, percent % 100);
        commands.push(set("org.gnome.desktop.interface", "text-scaling-factor", &value));
    }
    // Bit 0 says that it is on.
    for (name, key) in [
        ("sticky-keys", "stickykeys-enable"),
        ("filter-keys", "slowkeys-enable"),
        ("mouse-keys", "mousekeys-enable"),
    ] {
        if number(name).is_some_and(|flags| flags & 1 == 1) {
            commands.push(set("org.gnome.desktop.a11y.keyboard", key, "true"));
        }
    }
    commands
}

/// Makes a plan what it was, and puts it in force.
fn power_commands(plan: &str, facts: &Facts) -> Vec<String> {
    let command = |(name, value): (&String, &String)| {
        let (known, source) = value_of(name)?;
        let verb = match source {
            Source::PluggedIn => "setacvalueindex",
            Source::OnBattery => "setdcvalueindex",
        };
        let number: u32 = value.parse().ok()?;
        Some(format!("powercfg /{verb} {plan} {} {} {number}", known.group, known.setting))
    };
    let values = facts.iter().filter_map(command);
    values.chain([format!("powercfg /setactive {plan}")]).collect()
}

/// Nothing to type: the values, for somebody who clicks.
fn by_eye(how: &str, facts: &Facts) -> Steps {
    Steps { how: format!("{how} ({})", values(facts)), commands: Vec::new() }
}

/// `en-GB` of `en_GB.UTF-8`.
fn culture(locale: &str) -> String {
    locale.split(['.', '@']).next().unwrap_or(locale).replace('_', "-")
}

/// The host of an address or URL.
fn host_of(address: &str) -> &str {
    let rest = address.split_once("://").map_or(address, |(_, rest)| rest);
    rest.split(['/', ':', '?']).next().unwrap_or(rest)
}

/// A name that CUPS takes for a queue.
fn queue_name(name: &str) -> String {
    name.chars().map(|c| if c.is_ascii_alphanumeric() || c == '-' { c } else { '_' }).collect()
}

/// Nothing inside is anything but text (about_Quoting_Rules); PowerShell takes typographic quotes for quotes,
/// too.
pub(crate) fn in_single_quotes_of_powershell(value: &str) -> String {
    let mut quoted = String::from("'");
    for c in on_screen(value.as_bytes()).chars() {
        if matches!(c, '\'' | '\u{2018}' | '\u{2019}' | '\u{201a}' | '\u{201b}') {
            quoted.push(c);
        }
        quoted.push(c);
    }
    quoted.push('\'');
    quoted
}

/// Nothing inside is anything but text (POSIX.1-2017, Shell Command Language, 2.2.2).
pub(crate) fn in_single_quotes_of_shell(value: &str) -> String {
    format!("'{}'", on_screen(value.as_bytes()).replace('\'', "'\\''"))
}

/// The values in one line: `Europe/Lisbon`.
pub(crate) fn values(facts: &Facts) -> String {
    let is_name = facts.len() == 1 && facts.contains_key("name");
    let value =
        |(name, value): (&String, &String)| if is_name { value.clone() } else { format!("{name} {value}") };
    let text = match facts.len() {
        0 => "nothing".to_owned(),
        _ => facts.iter().map(value).collect::<Vec<_>>().join(", "),
    };
    on_screen(text.as_bytes())
}

/// The new machine's system; of a trunk alone, the old one's.
pub(crate) fn new_system(receipt: &Receipt) -> Family {
    let system = receipt.machine.as_ref().map_or(&receipt.trunk.machine.system, |machine| &machine.system);
    Family::from_name(&system.family).unwrap_or(Family::Windows)
}

#[cfg(test)]
mod tests {
    use super::*;

    fn facts(rows: &[(&str, &str)]) -> Facts {
        rows.iter().map(|(name, value)| ((*name).to_owned(), (*value).to_owned())).collect()
    }

    #[test]
    fn what_to_type_fits_the_new_system() {
        let zone = facts(&[("windows", "GMT Standard Time"), ("iana", "Europe/Lisbon")]);
        let on = |to| steps("machine/setting/time-zone", &zone, to).commands;
        assert_eq!(on(Family::Windows), ["tzutil /s 'GMT Standard Time'"]);
        assert_eq!(on(Family::Linux), ["sudo timedatectl set-timezone 'Europe/Lisbon'"]);
        let drive = facts(&[("letter", "K"), ("server-folder", "\\\\loft\\kites")]);
        let drive = steps("odile/setting/drive/k", &drive, Family::Windows);
        assert_eq!(drive.commands, ["net use 'K:' '\\\\loft\\kites' /persistent:yes"]);
        let printer = facts(&[("name", "Front desk"), ("address", "192.0.2.20"), ("driver", "Sail 200")]);
        let on = |to| steps("machine/printer/front-desk", &printer, to).commands;
        assert_eq!(
            on(Family::Windows)[1],
            "Add-Printer -Name 'Front desk' -DriverName 'Sail 200' -PortName 'IP_192.0.2.20'"
        );
        assert_eq!(
            on(Family::Linux),
            ["sudo lpadmin -p 'Front_desk' -E -v 'ipp://192.0.2.20/ipp/print' -m everywhere"]
        );
    }

    #[test]
    fn every_setting_has_steps_on_every_system() {
        let settings = [
            ("odile/setting/locale", facts(&[("name", "en_GB.UTF-8")])),
            ("odile/setting/keyboard", facts(&[("windows-layouts", "00000809 0000040c")])),
            ("odile/setting/wallpaper", facts(&[("file", "C:\\kites.jpg")])),
            ("odile/setting/mouse", facts(&[("swap-buttons", "1"), ("wheel-lines", "5")])),
            ("odile/setting/accessibility", facts(&[("sticky-keys", "506")])),
            ("odile/setting/file-view", facts(&[("hidden", "1")])),
            ("odile/setting/environment", facts(&[("KITES", "C:\\Kite Plans")])),
            ("machine/setting/environment", facts(&[("KITES", "9"), ("not a name", "x")])),
            ("odile/setting/default-printer", facts(&[("name", "Front desk")])),
            ("machine/setting/wifi/loft", facts(&[("name", "Loft")])),
            ("machine/setting/hosts", facts(&[("tide", "10.0.0.7 fd00::7")])),
            ("odile/printer/tide-plans", facts(&[("name", "Plans"), ("server-printer", "\\\\tide\\Plans")])),
            (
                "machine/setting/power",
                facts(&[("plan", "balanced"), ("sleep-on-battery", "900"), ("x", "1")]),
            ),
            ("machine/setting/share/plans", facts(&[("name", "plans"), ("folder", "C:\\Kite Plans")])),
            (
                "odile/setting/odbc/kites",
                facts(&[("name", "kites"), ("driver", "SQL Server"), ("Server", "loft")]),
            ),
        ];
        let on = |to| {
            let lines = settings.iter().map(|(id, facts)| {
                let steps = steps(id, facts, to);
                if steps.commands.is_empty() {
                    format!("({})", steps.how)
                } else {
                    steps.commands.join(" | ")
                }
            });
            lines.collect::<Vec<_>>()
        };
        assert_eq!(
            on(Family::Windows),
            [
                r"Set-Culture 'en-GB'",
                r"reg add 'HKCU\Keyboard Layout\Preload' /v 1 /t REG_SZ /d '00000809' /f | reg add 'HKCU\Keyboard Layout\Preload' /v 2 /t REG_SZ /d '0000040c' /f",
                r"(the picture lands with the other files; right-click it, and set it as background (file C:\kites.jpg))",
                r"reg add 'HKCU\Control Panel\Mouse' /v SwapMouseButtons /t REG_SZ /d '1' /f | reg add 'HKCU\Control Panel\Desktop' /v WheelScrollLines /t REG_SZ /d '5' /f",
                r"reg add 'HKCU\Control Panel\Accessibility\StickyKeys' /v Flags /t REG_SZ /d '506' /f",
                r"reg add 'HKCU\Software\Microsoft\Windows\CurrentVersion\Explorer\Advanced' /v Hidden /t REG_DWORD /d '1' /f",
                r"[Environment]::SetEnvironmentVariable('KITES', 'C:\Kite Plans', 'User')",
                r"[Environment]::SetEnvironmentVariable('KITES', '9', 'Machine') | [Environment]::SetEnvironmentVariable('not a name', 'x', 'Machine')",
                r"rundll32 printui.dll,PrintUIEntry /y /n 'Front desk'",
                r"(choose the network and type its password (Loft))",
                r#"Add-Content -Path "$env:SystemRoot\System32\drivers\etc\hosts" -Value '10.0.0.7 tide' | Add-Content -Path "$env:SystemRoot\System32\drivers\etc\hosts" -Value 'fd00::7 tide'"#,
                r"rundll32 printui.dll,PrintUIEntry /in /n '\\tide\Plans'",
                r"powercfg /setdcvalueindex 381b4222-f694-41f0-9685-ff5bb260df2e 238c9fa8-0aad-41ed-83f4-97be242c8f20 29f6c1db-86da-48c5-9fdb-f2b67b1f44da 900 | powercfg /setactive 381b4222-f694-41f0-9685-ff5bb260df2e",
                r"net share 'plans=C:\Kite Plans'",
                r"Add-OdbcDsn -Name 'kites' -DriverName 'SQL Server' -DsnType User -SetPropertyValue @('Server=loft')",
            ]
        );
        assert_eq!(
            on(Family::Linux),
            [
                r"sudo localectl set-locale LANG='en_GB.UTF-8'",
                r"sudo localectl set-x11-keymap 'gb,fr'",
                r"(set it up under Settings (file C:\kites.jpg))",
                r"gsettings set org.gnome.desktop.peripherals.mouse left-handed true",
                r"(set it up under Settings (sticky-keys 506))",
                r"gsettings set org.gtk.Settings.FileChooser show-hidden true",
                r"echo 'export KITES='\''C:\Kite Plans'\''' >> ~/.profile",
                r"echo 'export KITES='\''9'\''' >> ~/.profile",
                r"lpoptions -d 'Front_desk'",
                r"(choose the network and type its password (Loft))",
                r"echo '10.0.0.7 tide' | sudo tee -a /etc/hosts | echo 'fd00::7 tide' | sudo tee -a /etc/hosts",
                r"(add it under Printers (name Plans, server-printer \\tide\Plans))",
                r"(set it up under Settings (plan balanced, sleep-on-battery 900, x 1))",
                r"(set it up under Settings (folder C:\Kite Plans, name plans))",
                r"(set it up under Settings (Server loft, driver SQL Server, name kites))",
            ]
        );
        let mac = on(Family::MacOs);
        let shown = (mac[0].as_str(), mac[8].as_str());
        assert_eq!(shown, ("(set it up under Settings (en_GB.UTF-8))", "lpoptions -d 'Front_desk'"));
    }

    #[test]
    fn settings_of_a_windows_are_commands_on_a_linux_as_far_as_they_mean_the_same() {
        let on_linux = |id: &str, rows: &[(&str, &str)]| {
            steps(&format!("odile/setting/{id}"), &facts(rows), Family::Linux).commands.join(" | ")
        };
        let mouse = "gsettings set org.gnome.desktop.peripherals.mouse";
        assert_eq!(
            on_linux("mouse", &[("swap-buttons", "0"), ("double-click-speed", "720"), ("trails", "5")]),
            format!("{mouse} left-handed false | {mouse} double-click 720")
        );
        assert_eq!(
            on_linux("typing", &[("delay", "2"), ("speed", "20")]),
            "gsettings set org.gnome.desktop.peripherals.keyboard delay 750"
        );
        assert_eq!(
            on_linux("text-size", &[("percent", "125")]),
            "gsettings set org.gnome.desktop.interface text-scaling-factor 1.25"
        );
        let keys = "gsettings set org.gnome.desktop.a11y.keyboard";
        assert_eq!(
            on_linux(
                "accessibility",
                &[("sticky-keys", "511"), ("filter-keys", "122"), ("mouse-keys", "59")]
            ),
            format!("{keys} stickykeys-enable true | {keys} mousekeys-enable true")
        );
        for (layouts, command) in [
            ("00000809 00020409", "sudo localectl set-x11-keymap 'gb,us' '' ',intl'"),
            ("0000040c", "sudo localectl set-x11-keymap 'fr'"),
            ("e0010411", ""),
        ] {
            assert_eq!(on_linux("keyboard", &[("windows-layouts", layouts)]), command);
        }
        // No number, no command.
        assert_eq!(on_linux("mouse", &[("swap-buttons", "1; reboot")]), "");
        let of_linux =
            steps("machine/setting/keyboard", &facts(&[("layouts", "gb,fr(bepo)")]), Family::Windows);
        assert_eq!(
            of_linux.commands,
            ["reg add 'HKCU\\Keyboard Layout\\Preload' /v 1 /t REG_SZ /d '00000809' /f"]
        );
    }

    #[test]
    fn no_value_becomes_a_command() {
        let hostile = facts(&[("name", "x'; rm -rf ~ #\u{2019}\n$(reboot)")]);
        let drive = facts(&[("iana", "UTC"), ("windows", "x'; rm -rf ~ #\u{2019}\n$(reboot)")]);
        let windows = steps("machine/setting/time-zone", &drive, Family::Windows).commands;
        assert_eq!(windows, ["tzutil /s 'x''; rm -rf ~ #\u{2019}\u{2019}\\u{a}$(reboot)'"]);
        // A name of another system that Windows would not take is nothing to type.
        for (name, number) in
            [("LOFT-PC", 1), ("Odile's Mac", 0), ("a-name-of-20-letters", 0), ("12345", 0), ("", 0)]
        {
            let steps = steps("machine/setting/computer-name", &facts(&[("name", name)]), Family::Windows);
            assert_eq!(steps.commands.len(), number, "{name}");
        }
        let linux = steps("machine/setting/computer-name", &hostile, Family::Linux).commands;
        assert_eq!(linux, ["sudo hostnamectl set-hostname 'x'\\''; rm -rf ~ #\u{2019}\\u{a}$(reboot)'"]);
    }
}
