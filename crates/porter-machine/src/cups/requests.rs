//! Requests to CUPS, and the queues in its answers (RFC 8011, and the operations that CUPS adds:
//! <https://www.cups.org/doc/spec-ipp.html>).

use super::queue::{Queue, RAW};
use porter_formats::ipp::{About, Attribute, Group, Message, TextKind, Value};
use porter_formats::print_defaults::PrintDefaults;

/// `CUPS-Get-Default`.
pub const GET_DEFAULT: u16 = 0x4001;
/// `CUPS-Get-Printers`: classes too.
pub const GET_PRINTERS: u16 = 0x4002;
/// `CUPS-Add-Modify-Printer`.
pub const SET_PRINTER: u16 = 0x4003;
/// `CUPS-Delete-Printer`.
pub const DELETE_PRINTER: u16 = 0x4004;
/// `CUPS-Add-Modify-Class`.
pub const SET_CLASS: u16 = 0x4006;
/// `CUPS-Delete-Class`.
pub const DELETE_CLASS: u16 = 0x4007;
/// `CUPS-Set-Default`.
pub const SET_DEFAULT: u16 = 0x400a;
/// `CUPS-Get-PPD`.
pub const GET_PPD: u16 = 0x400f;
/// `Print-Job`.
pub const PRINT_JOB: u16 = 0x0002;
/// `Get-Printer-Attributes`.
pub const GET_ATTRIBUTES: u16 = 0x000b;

/// The driver of a queue.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Make {
    /// None: documents go to the printer as they are.
    Raw,
    /// One that CUPS makes of what the printer says of itself.
    Driverless,
    /// A PPD.
    Described(Vec<u8>),
}

const ASKED: [&str; 13] = [
    "printer-name",
    "device-uri",
    "printer-make-and-model",
    "printer-info",
    "printer-location",
    "printer-is-shared",
    "requesting-user-name-allowed",
    "requesting-user-name-denied",
    "member-names",
    "printer-error-policy",
    "printer-op-policy",
    "job-sheets-default",
    "printer-type",
];

/// Bit of `printer-type`: a class.
const IS_CLASS: i32 = 1;
/// `printer-state`: ready.
const IDLE: i32 = 3;

fn uri(queue: &str, is_class: bool) -> Attribute {
    let kind = if is_class { "classes" } else { "printers" };
    Attribute::texts("printer-uri", TextKind::Uri, [format!("ipp://localhost/{kind}/{queue}").as_str()])
}

fn user(name: &str) -> Attribute {
    Attribute::texts("requesting-user-name", TextKind::Name, [name])
}

/// Asks for all queues and classes.
pub fn list(as_user: &str) -> Message {
    Message::request(
        GET_PRINTERS,
        vec![user(as_user), Attribute::texts("requested-attributes", TextKind::Keyword, ASKED)],
    )
}

/// Something that is asked of one queue.
pub fn about(operation: u16, queue: &str, is_class: bool, as_user: &str) -> Message {
    Message::request(operation, vec![uri(queue, is_class), user(as_user)])
}

/// Prints the text that goes with it.
pub fn print_text(queue: &Queue, title: &str, as_user: &str) -> Message {
    // A queue without a driver is handed what the printer itself understands.
    let format = if queue.is_raw() { "application/vnd.cups-raw" } else { "text/plain" };
    let attributes = vec![
        uri(&queue.name, !queue.members.is_empty()),
        user(as_user),
        Attribute::texts("job-name", TextKind::Name, [title]),
        Attribute::texts("document-format", TextKind::MimeType, [format]),
    ];
    Message::request(PRINT_JOB, attributes)
}

/// Asks for the usual printer's name.
pub fn usual(as_user: &str) -> Message {
    let name = Attribute::texts("requested-attributes", TextKind::Keyword, ["printer-name"]);
    Message::request(GET_DEFAULT, vec![user(as_user), name])
}

/// Makes a queue or class, or changes it. The document that goes with it is the PPD.
pub fn set(queue: &Queue, make: &Make, as_user: &str) -> Message {
    let is_class = !queue.members.is_empty();
    let text = |name: &str, kind, value: &str| Attribute::texts(name, kind, [value]);
    let mut attributes = vec![
        text("printer-info", TextKind::Text, queue.description.as_deref().unwrap_or(&queue.name)),
        text("printer-location", TextKind::Text, queue.location.as_deref().unwrap_or_default()),
        Attribute::one("printer-is-shared", Value::Boolean(queue.is_shared)),
        // Without these two a new queue is stopped, and takes no jobs.
        Attribute::one("printer-is-accepting-jobs", Value::Boolean(true)),
        Attribute::one("printer-state", Value::Enum(IDLE)),
    ];
    let people = |name: &str, people: &[String]| {
        Attribute::texts(name, TextKind::Name, people.iter().map(String::as_str))
    };
    if !queue.allowed.is_empty() {
        attributes.push(people("requesting-user-name-allowed", &queue.allowed));
    } else if !queue.denied.is_empty() {
        attributes.push(people("requesting-user-name-denied", &queue.denied));
    } else {
        attributes.push(people("requesting-user-name-allowed", &["all".to_owned()]));
    }
    attributes.extend(
        queue.error_policy.as_deref().map(|policy| text("printer-error-policy", TextKind::Name, policy)),
    );
    attributes.extend(
        queue.operation_policy.as_deref().map(|policy| text("printer-op-policy", TextKind::Name, policy)),
    );
    if let Some(banners) = &queue.banners {
        attributes.push(Attribute::texts("job-sheets-default", TextKind::Name, banners.split(' ')));
    }
    if is_class {
        let members = queue.members.iter().map(|name| format!("ipp://localhost/printers/{name}"));
        let members: Vec<String> = members.collect();
        let members = members.iter().map(String::as_str);
        attributes.push(Attribute::texts("member-uris", TextKind::Uri, members));
    } else {
        attributes.extend(queue.address.as_deref().map(|address| text("device-uri", TextKind::Uri, address)));
        match make {
            Make::Raw => attributes.push(text("ppd-name", TextKind::Name, "raw")),
            Make::Driverless => attributes.push(text("ppd-name", TextKind::Name, "everywhere")),
            Make::Described(_) => {}
        }
        let options = match make {
            Make::Raw => queue.options.clone(),
            // The description that CUPS makes may have other names for them.
            Make::Driverless => PrintDefaults::from_options(&queue.options).to_options(),
            Make::Described(_) => Vec::new(),
        };
        attributes.extend(options.iter().map(|(name, value)| default_of(name, value)));
    }
    about(if is_class { SET_CLASS } else { SET_PRINTER }, &queue.name, is_class, as_user)
        .with_printer(attributes)
}

/// A choice for all jobs of a queue that choose nothing themselves.
fn default_of(name: &str, value: &str) -> Attribute {
    let named = format!("{name}-default");
    match (name, value.parse()) {
        ("copies", Ok(number)) => Attribute::one(&named, Value::Integer(number)),
        ("orientation-requested", Ok(number)) => Attribute::one(&named, Value::Enum(number)),
        _ => Attribute::texts(&named, TextKind::Name, [value]),
    }
}

/// The queue that a group of an answer describes; none if it has no name.
pub fn queue_in(group: &Group) -> Option<Queue> {
    let text = |name: &str| group.text(name).map(str::to_owned).filter(|text| !text.is_empty());
    let list = |name: &str| -> Vec<String> { group.texts(name).into_iter().map(str::to_owned).collect() };
    let people =
        |name: &str| -> Vec<String> { list(name).into_iter().filter(|name| name != "all").collect() };
    let is_class =
        group.values("printer-type").first().and_then(Value::number).is_some_and(|kind| kind & IS_CLASS != 0);
    Some(Queue {
        name: text("printer-name")?,
        address: text("device-uri").filter(|_| !is_class),
        driver: text("printer-make-and-model").filter(|model| !is_class && model != RAW),
        description: text("printer-info"),
        location: text("printer-location"),
        is_shared: matches!(group.values("printer-is-shared").first(), Some(Value::Boolean(true))),
        allowed: people("requesting-user-name-allowed"),
        denied: people("requesting-user-name-denied"),
        members: list("member-names"),
        error_policy: text("printer-error-policy"),
        operation_policy: text("printer-op-policy"),
        banners: Some(list("job-sheets-default").join(" ")).filter(|banners| !banners.is_empty()),
        options: Vec::new(),
        is_usual: false,
    })
}

/// The queues of an answer.
pub fn queues_in(answer: &Message) -> Vec<Queue> {
    answer.groups.iter().filter(|group| group.about == About::Printer).filter_map(queue_in).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_queue_is_asked_for_as_it_is_told_of() {
        let queue = Queue {
            name: "loft".to_owned(),
            address: Some("socket://192.0.2.21:9100".to_owned()),
            description: Some("Loft".to_owned()),
            denied: vec!["bram".to_owned()],
            options: vec![("media".to_owned(), "a4".to_owned())],
            ..Queue::default()
        };
        let message = set(&queue, &Make::Raw, "root");
        let group = &message.groups[1];
        assert_eq!(message.code, SET_PRINTER);
        assert_eq!(group.texts("media-default"), ["a4"]);
        assert_eq!(group.texts("ppd-name"), ["raw"]);
        let name = Attribute::texts("printer-name", TextKind::Name, ["loft"]);
        let told =
            Group { about: About::Printer, attributes: [vec![name], group.attributes.clone()].concat() };
        assert!(queue_in(&told).unwrap().is_same(&queue));
        let class = Queue { members: vec!["loft".to_owned()], address: None, ..queue };
        let message = set(&class, &Make::Raw, "root");
        assert_eq!((message.code, message.groups[1].text("device-uri")), (SET_CLASS, None));
        assert_eq!(message.groups[1].texts("member-uris"), ["ipp://localhost/printers/loft"]);
    }
}
