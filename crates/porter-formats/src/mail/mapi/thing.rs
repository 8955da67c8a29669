//! A thing in a mailbox: what is common to letters, contacts, events, tasks and notes.

use super::names::{OF_PUBLIC, Set};
use super::numbers::utc;
use super::properties::{Holder, NodeData, Properties, Value};
use super::rtf;
use crate::FormatError;
use time::OffsetDateTime;

/// Properties of all things ([MS-OXPROPS]).
const CLASS: u16 = 0x001a;
const SUBJECT: u16 = 0x0037;
const BODY: u16 = 0x1000;
const RICH: u16 = 0x1009;
const SEARCH_KEY: u16 = 0x300b;
const CREATED: u16 = 0x3007;
const MODIFIED: u16 = 0x3008;
const OWN_CODE_PAGE: u16 = 0x3ffd;
pub(super) const CODE_PAGE_OF_INTERNET: u16 = 0x3fde;
/// Properties of those who get it.
const NAME: u16 = 0x3001;
const ADDRESS: u16 = 0x3003;
const SMTP: u16 = 0x39fe;
const RECIPIENT_KIND: u16 = 0x0c15;
const ANSWER: u16 = 0x5fff;
/// Properties of a file at it.
const CONTENT: u16 = 0x3701;
const SHORT_NAME: u16 = 0x3704;
const METHOD: u16 = 0x3705;
const LONG_NAME: u16 = 0x3707;

/// The node with the table of those who get it, and the type of the nodes of files at it.
pub(crate) const RECIPIENTS: u32 = 0x692;
pub(crate) const ATTACHMENT: u32 = 0x05;
const TYPE_MASK: u32 = 0x1f;

/// See the module.
pub struct Thing<'s> {
    pub(super) holder: &'s dyn Holder,
    pub(super) id: u32,
    pub(super) properties: Properties,
}

/// The kinds of things.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum ThingKind {
    /// A letter, or something that is sent as one.
    Letter,
    /// A person or a firm.
    Contact,
    /// A list of people.
    List,
    /// An event in a calendar.
    Event,
    /// Something to do.
    Task,
    /// A short text.
    Note,
    /// Outlook's notes of somebody's work.
    Journal,
}

/// Somebody who gets a letter, or comes to an event.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) struct Recipient {
    /// 1 to, 2 copy, 3 blind copy; of an event: must come, may come, a room.
    pub(super) kind: u32,
    pub(super) name: String,
    pub(super) address: String,
    /// For an event: 2 perhaps, 3 comes, 4 does not.
    pub(super) answer: u32,
}

/// A file at a thing.
pub(super) struct Attachment {
    pub(super) properties: Properties,
    id: u32,
}

impl<'s> Thing<'s> {
    pub(crate) fn load(
        holder: &'s dyn Holder,
        id: u32,
        node: NodeData,
        code_page: u32,
    ) -> Result<Self, FormatError> {
        let mut properties = holder.properties(node, code_page)?;
        let own = [OWN_CODE_PAGE, CODE_PAGE_OF_INTERNET].iter().find_map(|of| properties.number(*of));
        properties.code_page = own.filter(|own| *own != 0).unwrap_or(code_page);
        Ok(Self { holder, id, properties })
    }

    /// Its class, in small letters: `ipm.note`.
    pub(super) fn class(&self) -> String {
        self.text(CLASS).unwrap_or_default().to_ascii_lowercase()
    }

    /// Its title or kind.
    pub fn kind(&self) -> ThingKind {
        let class = self.class();
        let is =
            |name: &str| class == name || class.strip_prefix(name).is_some_and(|rest| rest.starts_with('.'));
        let kinds = [
            ("ipm.contact", ThingKind::Contact),
            ("ipm.distlist", ThingKind::List),
            ("ipm.appointment", ThingKind::Event),
            ("ipm.task", ThingKind::Task),
            ("ipm.stickynote", ThingKind::Note),
            ("ipm.activity", ThingKind::Journal),
        ];
        kinds.iter().find(|(name, _)| is(name)).map_or(ThingKind::Letter, |(_, kind)| *kind)
    }

    pub(super) fn text(&self, id: u16) -> Option<String> {
        self.properties.text(self.holder, id)
    }

    /// A text that is not empty.
    pub(super) fn filled(&self, id: u16) -> Option<String> {
        self.text(id).filter(|text| !text.trim().is_empty())
    }

    pub(super) fn time(&self, id: u16) -> Option<OffsetDateTime> {
        self.properties.time(self.holder, id).and_then(utc)
    }

    /// The number of a property of a set.
    pub(super) fn named(&self, set: Set, number: u32) -> Option<u16> {
        self.holder.names().of_number(set, number)
    }

    pub(super) fn named_text(&self, set: Set, number: u32) -> Option<String> {
        self.named(set, number).and_then(|id| self.filled(id))
    }

    pub(super) fn named_time(&self, set: Set, number: u32) -> Option<OffsetDateTime> {
        self.named(set, number).and_then(|id| self.time(id))
    }

    pub(super) fn named_number(&self, set: Set, number: u32) -> Option<u32> {
        self.named(set, number).and_then(|id| self.properties.number(id))
    }

    pub(super) fn named_bytes(&self, set: Set, number: u32) -> Option<Vec<u8>> {
        self.named(set, number).and_then(|id| self.properties.binary(self.holder, id))
    }

    pub(super) fn is(&self, set: Set, number: u32) -> bool {
        self.named_number(set, number).is_some_and(|number| number != 0)
    }

    /// The subject. Outlook marks how long the `Re:` before it is.
    pub fn subject(&self) -> String {
        let subject = self.text(SUBJECT).unwrap_or_default();
        match subject.strip_prefix('\u{1}') {
            Some(rest) => rest.chars().skip(1).collect(),
            None => subject,
        }
    }

    /// The text of it, without any form.
    pub fn words(&self) -> String {
        let rich = || {
            let rich = self.properties.binary(self.holder, RICH)?;
            match rtf::content(&rtf::unpacked(&rich).ok()?) {
                rtf::Content::Text(text) => Some(text),
                rtf::Content::Html(_) => None,
            }
        };
        let text = self.filled(BODY).or_else(rich).unwrap_or_default();
        text.replace("\r\n", "\n").trim_end().to_owned()
    }

    /// When somebody last changed it.
    pub fn modified_utc(&self) -> Option<OffsetDateTime> {
        self.time(MODIFIED).or_else(|| self.time(CREATED))
    }

    pub(super) fn created_utc(&self) -> Option<OffsetDateTime> {
        self.time(CREATED)
    }

    /// A name that no other thing has.
    pub(super) fn unique_name(&self) -> String {
        let key = self.properties.binary(self.holder, SEARCH_KEY).filter(|key| !key.is_empty());
        match key {
            Some(key) => key.iter().map(|byte| format!("{byte:02x}")).collect(),
            None => format!("node-{:x}", self.id),
        }
    }

    /// The words that a person has sorted it by.
    pub(super) fn categories(&self) -> Vec<String> {
        let id = self.holder.names().of_text(OF_PUBLIC, "Keywords");
        id.map(|id| self.properties.texts(self.holder, id)).unwrap_or_default()
    }

    pub(super) fn recipients(&self) -> Vec<Recipient> {
        let table = self.properties.below.get(&RECIPIENTS);
        let rows = table.and_then(|node| self.holder.rows(*node, self.properties.code_page).ok());
        let row = |row: Properties| {
            let text = |id| row.text(self.holder, id).filter(|text| !text.is_empty());
            let address = text(SMTP).or_else(|| text(ADDRESS).filter(|address| address.contains('@')));
            Recipient {
                kind: row.number(RECIPIENT_KIND).unwrap_or(1),
                name: text(NAME).unwrap_or_default(),
                address: address.unwrap_or_default(),
                answer: row.number(ANSWER).unwrap_or_default(),
            }
        };
        rows.into_iter().flatten().map(row).collect()
    }

    /// The files at it, and the number of those that cannot be read.
    pub(super) fn attachments(&self) -> (Vec<Attachment>, u64) {
        let of_kind = self.properties.below.iter().filter(|(id, _)| *id & TYPE_MASK == ATTACHMENT);
        let (mut found, mut damaged) = (Vec::new(), 0);
        for (id, node) in of_kind {
            match self.holder.properties(*node, self.properties.code_page) {
                Ok(properties) => found.push(Attachment { properties, id: *id }),
                Err(_) => damaged += 1,
            }
        }
        (found, damaged)
    }
}

impl Attachment {
    pub(super) const MEDIA_TYPE: u16 = 0x370e;
    pub(super) const CONTENT_ID: u16 = 0x3712;

    pub(super) fn text(&self, holder: &dyn Holder, id: u16) -> Option<String> {
        self.properties.text(holder, id).filter(|text| !text.is_empty())
    }

    pub(super) fn name(&self, holder: &dyn Holder) -> String {
        let name = [LONG_NAME, SHORT_NAME, NAME].iter().find_map(|id| self.text(holder, *id));
        name.unwrap_or_else(|| format!("file {:x}", self.id))
    }

    /// How it is kept.
    pub(super) fn method(&self) -> Option<u32> {
        self.properties.number(METHOD)
    }

    /// The node that its content leads to by a number below it.
    fn node_inside(&self, content: &[u8]) -> Option<(u32, NodeData)> {
        let id = u32::from_le_bytes(content.get(..4)?.try_into().ok()?);
        Some((id, *self.properties.below.get(&id)?))
    }

    /// The thing that it is, if it is one.
    pub(super) fn thing_inside<'s>(&self, holder: &'s dyn Holder, code_page: u32) -> Option<Thing<'s>> {
        let (id, node) = match self.properties.content(CONTENT)? {
            Value::Here(object) => self.node_inside(object)?,
            Value::Node(node) => (self.id, *node),
        };
        Thing::load(holder, id, node, code_page).ok()
    }

    /// Passes on its content, piece by piece, until `look` says no. False if not all of it can be read.
    pub(super) fn each_piece(&self, holder: &dyn Holder, look: &mut dyn FnMut(&[u8]) -> bool) -> bool {
        let node = match self.properties.content(CONTENT) {
            None => return !self.properties.has(CONTENT),
            Some(Value::Node(node)) => *node,
            Some(Value::Here(bytes)) => match self.node_inside(bytes).filter(|_| bytes.len() == 8) {
                Some((_, node)) => node,
                None => {
                    look(bytes);
                    return true;
                }
            },
        };
        holder.each_piece(node.data, look).is_ok()
    }

    /// Its content. None if that is longer, or cannot be read.
    pub(super) fn content(&self, holder: &dyn Holder, most_in_bytes: usize) -> Option<Vec<u8>> {
        let mut all = Vec::new();
        let is_whole = self.each_piece(holder, &mut |piece| {
            all.extend_from_slice(piece);
            all.len() <= most_in_bytes
        });
        (is_whole && all.len() <= most_in_bytes).then_some(all)
    }
}
