//! Queues in the files of CUPS: `printers.conf(5)`, `classes.conf(5)`, and the descriptions in `ppd`, which
//! hold the chosen options. CUPS writes them with a delay while it runs. A person's own choices are in
//! `lpoptions(1)`.

use super::queue::Queue;
use porter_formats::ppd;

/// A person's file of choices, below the home.
pub const PERSONAL: &str = ".cups/lpoptions";
/// The beginnings of its lines: for the usual printer, and for another one.
const USUAL: &str = "Default ";
const ANOTHER: &str = "Dest ";

/// The queues and classes of these files. `description` returns the PPD of a queue.
pub fn queues_in(
    printers: Option<&[u8]>,
    classes: Option<&[u8]>,
    description: &dyn Fn(&str) -> Option<Vec<u8>>,
) -> Vec<Queue> {
    let mut queues = Vec::new();
    for file in [printers, classes].into_iter().flatten() {
        read(file, &mut queues);
    }
    for queue in queues.iter_mut().filter(|queue| is_file_name(&queue.name)) {
        if let Some(file) = description(&queue.name).filter(|file| ppd::is_one(file)) {
            queue.options = ppd::choices(&file);
            queue.driver = ppd::model(&file).or(queue.driver.take());
        }
    }
    queues
}

/// A name from a file must not lead out of a folder.
fn is_file_name(name: &str) -> bool {
    !name.is_empty() && !name.contains(['/', '\0']) && name != ".." && name != "."
}

fn read(file: &[u8], queues: &mut Vec<Queue>) {
    const BEGINS: [(&str, bool); 4] =
        [("<DefaultPrinter ", true), ("<Printer ", false), ("<DefaultClass ", true), ("<Class ", false)];
    let text = String::from_utf8_lossy(file);
    let mut open: Option<Queue> = None;
    for line in text.lines().map(str::trim) {
        let begun = BEGINS.iter().find_map(|(mark, is_usual)| {
            Some((line.strip_prefix(mark)?.strip_suffix('>')?.trim(), *is_usual))
        });
        if let Some((name, is_usual)) = begun {
            open = Some(Queue { name: name.to_owned(), is_usual, ..Queue::default() });
        } else if line.starts_with("</") {
            queues.extend(open.take());
        } else if let (Some(queue), Some((name, value))) = (&mut open, line.split_once(' ')) {
            let value = value.trim();
            let text = Some(value.to_owned()).filter(|value| !value.is_empty());
            match name {
                "DeviceURI" => queue.address = text,
                "MakeModel" => queue.driver = text,
                "Info" => queue.description = text,
                "Location" => queue.location = text,
                "Shared" => queue.is_shared = value.eq_ignore_ascii_case("yes"),
                "AllowUser" => queue.allowed.extend(text),
                "DenyUser" => queue.denied.extend(text),
                "Printer" => queue.members.extend(text),
                "ErrorPolicy" => queue.error_policy = text,
                "OpPolicy" => queue.operation_policy = text,
                "JobSheets" => queue.banners = text,
                "Option" => {
                    if let Some((name, value)) = value.split_once(' ') {
                        queue.options.push((name.to_owned(), value.to_owned()));
                    }
                }
                _ => {}
            }
        }
    }
}

/// A person's usual printer, of that person's `lpoptions`.
pub fn usual_of_person(file: &[u8]) -> Option<String> {
    let text = String::from_utf8_lossy(file);
    let row = text.lines().find_map(|line| line.strip_prefix(USUAL))?;
    row.split_whitespace().next().map(str::to_owned)
}

/// The file with another usual printer. All other choices in it stay.
pub fn with_usual_of_person(file: &[u8], name: &str) -> Vec<u8> {
    let text = String::from_utf8_lossy(file);
    let is_of_name = |row: &str| row.split_whitespace().next() == Some(name);
    let mut lines: Vec<String> = Vec::new();
    let mut is_set = false;
    for line in text.lines() {
        let (is_usual, row) = match (line.strip_prefix(USUAL), line.strip_prefix(ANOTHER)) {
            (Some(row), _) => (true, row),
            (None, Some(row)) => (false, row),
            (None, None) => {
                lines.push(line.to_owned());
                continue;
            }
        };
        if is_of_name(row) && !is_set {
            is_set = true;
            lines.push(format!("{USUAL}{row}"));
        } else if is_usual && row.split_whitespace().count() < 2 {
            // It said no more than that it was the usual one.
        } else {
            lines.push(format!("{ANOTHER}{row}"));
        }
    }
    if !is_set {
        lines.push(format!("{USUAL}{name}"));
    }
    (lines.join("\n") + "\n").into_bytes()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_person_has_one_usual_printer_and_keeps_all_choices() {
        let before = b"Default plans media=a4 sides=one-sided\nDest labels\n";
        assert_eq!(usual_of_person(before).as_deref(), Some("plans"));
        let after = with_usual_of_person(before, "labels");
        assert_eq!(String::from_utf8_lossy(&after), "Dest plans media=a4 sides=one-sided\nDefault labels\n");
        assert_eq!(with_usual_of_person(b"Default desk\n", "labels"), b"Default labels\n");
        assert_eq!(with_usual_of_person(b"", "labels"), b"Default labels\n");
        assert_eq!(usual_of_person(b"Dest labels\n"), None);
    }

    #[test]
    fn queues_and_classes_are_read_with_all_that_was_set() {
        let printers = b"# Printer configuration file for CUPS v2.4\nNextPrinterId 3\n<DefaultPrinter Front-Desk>\nInfo Front desk\n\
            DeviceURI ipp://192.0.2.20/ipp/print\nMakeModel Saltmarsh Sail 200\nState Idle\nShared Yes\nDenyUser bram\n\
            Location Shop\nOption media a4\n</DefaultPrinter>\n\
            <Printer loft>\nDeviceURI socket://192.0.2.21:9100\nShared No\n</Printer>\n<Printer cut off>\nDeviceURI x\n";
        let classes = b"<Class both>\nInfo Whichever is free\nPrinter Front-Desk\nPrinter loft\n</Class>\n";
        let ppd =
            b"*PPD-Adobe: \"4.3\"\n*NickName: \"Loft 9\"\n*OpenUI *Duplex: PickOne\n*DefaultDuplex: None\n";
        let description = |name: &str| (name == "loft").then(|| ppd.to_vec());
        let queues = queues_in(Some(printers), Some(classes), &description);
        let names: Vec<&str> = queues.iter().map(|queue| queue.name.as_str()).collect();
        assert_eq!(names, ["Front-Desk", "loft", "both"]);
        let [desk, loft, both] = &queues[..] else { unreachable!() };
        assert_eq!(desk.address.as_deref(), Some("ipp://192.0.2.20/ipp/print"));
        assert_eq!((desk.is_shared, desk.is_usual, &desk.denied[..]), (true, true, &["bram".to_owned()][..]));
        assert_eq!(desk.options, [("media".to_owned(), "a4".to_owned())]);
        assert_eq!(loft.driver.as_deref(), Some("Loft 9"));
        assert_eq!(loft.options, [("Duplex".to_owned(), "None".to_owned())]);
        assert_eq!(both.members, ["Front-Desk", "loft"]);
        assert!(!loft.is_raw() && !desk.is_driverless());
    }
}
