//! The print queues of CUPS, on Linux and macOS: `printers.conf(5)`.

use super::account::id_from_name;
use super::setting::Setting;

struct Queue {
    name: String,
    is_usual: bool,
    values: Vec<(String, String)>,
}

/// The printers of a `printers.conf`, and which of them is the usual one.
pub fn printers_in(file: &[u8]) -> Vec<Setting> {
    let text = String::from_utf8_lossy(file);
    let mut settings = Vec::new();
    let mut open: Option<Queue> = None;
    for line in text.lines().map(str::trim) {
        let begins =
            |mark: &str| line.strip_prefix(mark).and_then(|rest| rest.strip_suffix('>')).map(str::trim);
        if let Some(name) = begins("<DefaultPrinter ") {
            open = Some(Queue { name: name.to_owned(), is_usual: true, values: Vec::new() });
        } else if let Some(name) = begins("<Printer ") {
            open = Some(Queue { name: name.to_owned(), is_usual: false, values: Vec::new() });
        } else if line.starts_with("</") {
            let Some(Queue { name, is_usual, values }) = open.take() else { continue };
            let value = |wanted: &str| values.iter().find(|(name, _)| name == wanted).map(|(_, v)| v.clone());
            settings.extend(Setting::printer(
                &id_from_name(name.as_bytes()),
                &format!("Printer {name}"),
                &[
                    ("name", Some(name.clone())),
                    ("address", value("DeviceURI")),
                    ("driver", value("MakeModel")),
                    ("description", value("Info")),
                    ("location", value("Location")),
                ],
            ));
            if is_usual {
                settings.extend(Setting::new(
                    "default-printer",
                    "The usual printer",
                    &[("name", Some(name))],
                ));
            }
        } else if let (Some(queue), Some((name, value))) = (&mut open, line.split_once(' ')) {
            queue.values.push((name.to_owned(), value.trim().to_owned()));
        }
    }
    settings
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn queues_are_read_with_their_address_and_driver() {
        let file = b"# Printer configuration file for CUPS v2.4\nNextPrinterId 3\n<DefaultPrinter Front-Desk>\nInfo Front desk\n\
            DeviceURI ipp://192.0.2.20/ipp/print\nMakeModel Saltmarsh Sail 200\nState Idle\n</DefaultPrinter>\n\
            <Printer loft>\nDeviceURI socket://192.0.2.21:9100\n</Printer>\n<Printer cut off>\nDeviceURI x\n";
        let settings = printers_in(file);
        let ids: Vec<&str> = settings.iter().map(|setting| setting.id.as_str()).collect();
        assert_eq!(ids, ["front-desk", "default-printer", "loft"]);
        assert_eq!(settings[0].facts["address"], "ipp://192.0.2.20/ipp/print");
        assert_eq!(settings[0].facts["driver"], "Saltmarsh Sail 200");
    }
}
