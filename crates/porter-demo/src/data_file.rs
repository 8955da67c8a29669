//! A data file of Outlook, written after [MS-PST]: a store with an inbox and letters, people, events and
//! tasks, whole enough that other programs read it. It is not encoded, and holds no more than 250 kB.

mod properties;
mod things;

use crate::dice::Dice;
use crate::writing;
use properties::{
    BOOL, INT, Letter, Property, STEP, TEXT, TIME, bytes, flag, int, sum, tag, text, ticks, time,
};
use time::macros::datetime;
use time::{Duration, OffsetDateTime};

/// No more letters have room.
const MOST_LETTERS: u32 = 60;

/// Numbers of nodes ([MS-PST] 2.4.1), and how far apart those of one kind are.
const STORE: u32 = 0x21;
const NAMES: u32 = 0x61;
const ROOT: u32 = 0x122;
const TOP: u32 = 0x8022;
const INBOX: u32 = 0x8042;
const DELETED: u32 = 0x8062;
const FIRST_LETTER: u32 = 0x20_0004;
const RECIPIENTS: u32 = 0x692;
const ATTACHMENTS: u32 = 0x671;
const ATTACHMENT: u32 = 0x8025;
/// The name of the file at the first letter.
const PRICE_LIST: &str = "Price list \u{fc}ber Drachen.csv";
/// The tables of a folder have its number with another type: folders in it, letters, hidden letters.
const TABLES: [u32; 3] = [0x0d, 0x0e, 0x0f];

/// The map of what is in use begins here, and after it what it tells of.
const MAP_AT: usize = 0x4400;
const DATA_AT: usize = 0x4600;
const FILE_IN_BYTES: usize = 265 << 10;
const PAGE_IN_BYTES: usize = 512;
const GRAIN_IN_BYTES: usize = 64;
const BLOCK_END_IN_BYTES: usize = 16;

/// How much room a value has in a row; none for those that are kept beside it.
fn width(tag: u32) -> Option<usize> {
    match tag as u16 {
        INT => Some(4),
        BOOL => Some(1),
        TIME => Some(8),
        _ => None,
    }
}

/// A heap of one block ([MS-PST] 2.3.1).
struct Heap {
    client: u8,
    root: u32,
    pieces: Vec<Vec<u8>>,
}

impl Heap {
    fn new(client: u8) -> Self {
        Self { client, root: 0, pieces: Vec::new() }
    }

    /// The number of a piece; 0 for an empty one, which is not kept.
    fn add(&mut self, piece: Vec<u8>) -> u32 {
        if piece.is_empty() {
            return 0;
        }
        self.pieces.push(piece);
        (self.pieces.len() as u32) << 5
    }

    /// A tree of one level of rows, sorted, with keys of this length ([MS-PST] 2.3.2).
    fn add_tree(&mut self, key_in_bytes: u8, value_in_bytes: u8, rows: Vec<u8>) -> u32 {
        let rows = self.add(rows);
        self.add([&[0xb5, key_in_bytes, value_in_bytes, 0][..], &rows.to_le_bytes()].concat())
    }

    fn to_bytes(&self) -> Vec<u8> {
        let mut block = vec![0, 0, 0xec, self.client];
        block.extend(self.root.to_le_bytes());
        block.extend([0; 4]);
        let mut starts = vec![block.len() as u16];
        for piece in &self.pieces {
            block.extend(piece);
            starts.push(block.len() as u16);
        }
        block.resize(block.len().next_multiple_of(2), 0);
        let map_at = (block.len() as u16).to_le_bytes();
        block[..2].copy_from_slice(&map_at);
        block.extend((self.pieces.len() as u16).to_le_bytes());
        block.extend([0, 0]);
        block.extend(starts.into_iter().flat_map(u16::to_le_bytes));
        block
    }
}

/// The properties of one thing ([MS-PST] 2.3.3).
fn property_list(mut properties: Vec<Property>) -> Vec<u8> {
    properties.sort_by_key(|(tag, _)| *tag);
    let mut heap = Heap::new(0xbc);
    let mut rows = Vec::new();
    for (tag, value) in properties {
        rows.extend((tag >> 16).to_le_bytes()[..2].iter().chain(&tag.to_le_bytes()[..2]));
        let mut kept = value.clone();
        if width(tag).is_some_and(|width| width <= 4) {
            kept.resize(4, 0);
        } else {
            kept = heap.add(value).to_le_bytes().to_vec();
        }
        rows.extend(kept);
    }
    heap.root = heap.add_tree(2, 6, rows);
    heap.to_bytes()
}

/// A table: its columns, and its rows by their numbers ([MS-PST] 2.3.4).
fn table(columns: &[u32], rows: &[(u32, Vec<Property>)]) -> Vec<u8> {
    const ROW_NUMBER: u32 = 0x67f2_0003;
    const ROW_VERSION: u32 = 0x67f3_0003;
    let room = |tag: u32| width(tag).unwrap_or(4);
    let mut heap = Heap::new(0x7c);
    // Wide values come first in a row, and its own number before all.
    let mut in_row: Vec<u32> = columns.to_vec();
    in_row.sort_by_key(|tag| (std::cmp::Reverse(room(*tag).min(4)), *tag));
    in_row.splice(..0, [ROW_NUMBER, ROW_VERSION]);
    let mut at = 0_usize;
    let mut ends = [0_u16; 4];
    let mut described: Vec<(u32, u16, u8, u8)> = Vec::new();
    for (number, tag) in in_row.iter().enumerate() {
        described.push((*tag, at as u16, room(*tag) as u8, number as u8));
        at += room(*tag);
        let group = if room(*tag) >= 4 { 0 } else { 2 };
        ends[group..3].fill(at as u16);
    }
    let marks_in_bytes = in_row.len().div_ceil(8);
    ends[3] = (at + marks_in_bytes) as u16;
    let (mut index, mut matrix) = (Vec::new(), Vec::new());
    for (position, (number, properties)) in rows.iter().enumerate() {
        index.extend(number.to_le_bytes());
        index.extend((position as u32).to_le_bytes());
        let mut row = vec![0; usize::from(ends[3])];
        let own = [(ROW_NUMBER, number.to_le_bytes().to_vec()), (ROW_VERSION, vec![1, 0, 0, 0])];
        for (tag, value) in own.iter().chain(properties) {
            let Some((_, from, _, mark)) = described.iter().find(|(known, ..)| known == tag) else {
                continue;
            };
            let kept = match width(*tag) {
                Some(_) => value.clone(),
                None => heap.add(value.clone()).to_le_bytes().to_vec(),
            };
            let from = usize::from(*from);
            row[from..from + kept.len()].copy_from_slice(&kept);
            row[at + usize::from(mark / 8)] |= 0x80 >> (mark % 8);
        }
        matrix.extend(row);
    }
    let index = heap.add_tree(4, 4, index);
    let matrix = heap.add(matrix);
    described.sort_by_key(|(tag, ..)| *tag);
    let mut info = vec![0x7c, described.len() as u8];
    info.extend(ends.into_iter().flat_map(u16::to_le_bytes));
    info.extend([index, matrix, 0].into_iter().flat_map(u32::to_le_bytes));
    for (tag, from, room, mark) in described {
        info.extend(tag.to_le_bytes());
        info.extend(from.to_le_bytes());
        info.extend([room, mark]);
    }
    heap.root = heap.add(info);
    heap.to_bytes()
}

/// The mark of a place and a number ([MS-PST] 5.5).
fn place_mark(at: usize, id: u64) -> u16 {
    let both = at as u32 ^ id as u32;
    (both >> 16) as u16 ^ both as u16
}

struct Writer {
    file: Vec<u8>,
    /// Each block: its number, its place and its length.
    blocks: Vec<(u64, usize, u16)>,
    /// Each node: its number, its data, what is below it, its folder.
    nodes: Vec<(u32, u64, u64, u32)>,
    next_block: u64,
    next_page: u64,
}

impl Writer {
    /// Adds a block, and returns its number. Those that tell of others are marked in it.
    fn block(&mut self, data: &[u8], tells_of_others: bool) -> u64 {
        let id = self.next_block | if tells_of_others { 2 } else { 0 };
        self.next_block += 4;
        let at = self.file.len();
        self.file.extend(data);
        let end = at + (data.len() + BLOCK_END_IN_BYTES).next_multiple_of(GRAIN_IN_BYTES);
        self.file.resize(end - BLOCK_END_IN_BYTES, 0);
        self.file.extend((data.len() as u16).to_le_bytes());
        self.file.extend(place_mark(at, id).to_le_bytes());
        self.file.extend(sum(data).to_le_bytes());
        self.file.extend(id.to_le_bytes());
        self.blocks.push((id, at, data.len() as u16));
        id
    }

    fn node(&mut self, number: u32, data: &[u8], below: u64, folder: u32) {
        let data = self.block(data, false);
        self.nodes.push((number, data, below, folder));
    }

    /// A folder with its three tables.
    fn folder(
        &mut self,
        number: u32,
        folder: u32,
        (name, kind): (&str, &str),
        below: &[(u32, &str, u32)],
        letters: &[Letter],
    ) {
        let unread = letters.iter().filter(|letter| !letter.is_read).count() as u32;
        let properties = vec![
            text(0x3001, name),
            int(0x3602, letters.len() as u32),
            int(0x3603, unread),
            flag(0x360a, !below.is_empty()),
            text(0x3613, kind),
        ];
        self.node(number, &property_list(properties), 0, folder);
        let of_folders = [tag(0x3001, TEXT), tag(0x3602, INT), tag(0x3603, INT), tag(0x360a, BOOL)];
        let rows = below.iter().map(|(number, name, letters)| {
            (*number, vec![text(0x3001, name), int(0x3602, *letters), int(0x3603, 0), flag(0x360a, false)])
        });
        let folders = table(&of_folders, &rows.collect::<Vec<_>>());
        let of_letters =
            [tag(0x001a, TEXT), tag(0x0037, TEXT), tag(0x0e06, TIME), tag(0x0e07, INT), tag(0x0e08, INT)];
        let rows = letters.iter().map(|letter| (letter.number, letter.properties.clone()));
        let listed = table(&of_letters, &rows.collect::<Vec<_>>());
        let hidden = table(&of_letters, &[]);
        for (kind, content) in TABLES.into_iter().zip([folders, listed, hidden]) {
            self.node(number & !0x1f | kind, &content, 0, 0);
        }
    }

    fn letter(&mut self, letter: &Letter, folder: u32) {
        if !letter.is_sent {
            self.node(letter.number, &property_list(letter.properties.clone()), 0, folder);
            return;
        }
        let columns = [
            tag(0x0c15, INT),
            tag(0x0ffe, INT),
            tag(0x3001, TEXT),
            tag(0x3002, TEXT),
            tag(0x3003, TEXT),
            tag(0x39fe, TEXT),
        ];
        let to = vec![
            int(0x0c15, 1),
            int(0x0ffe, 6),
            text(0x3001, "Front desk"),
            text(0x3002, "SMTP"),
            text(0x3003, "desk@saltmarsh.example"),
            text(0x39fe, "desk@saltmarsh.example"),
        ];
        let mut nodes = vec![(RECIPIENTS, self.block(&table(&columns, &[(0, to)]), false))];
        if let Some(price_list) = &letter.attached {
            let listed = [tag(0x0e20, INT), tag(0x3705, INT), tag(0x3707, TEXT)];
            let of_file = vec![
                int(0x0e20, price_list.len() as u32),
                int(0x0e21, 0),
                bytes(0x3701, price_list),
                int(0x3705, 1),
                text(0x3707, PRICE_LIST),
                text(0x370e, "text/csv"),
            ];
            let row = (ATTACHMENT, of_file.clone());
            nodes.push((ATTACHMENTS, self.block(&table(&listed, &[row]), false)));
            nodes.push((ATTACHMENT, self.block(&property_list(of_file), false)));
        }
        nodes.sort_unstable();
        let mut below = vec![2, 0, nodes.len() as u8, 0, 0, 0, 0, 0];
        for (node, data) in nodes {
            below.extend([u64::from(node), data, 0].into_iter().flat_map(u64::to_le_bytes));
        }
        let below = self.block(&below, true);
        self.node(letter.number, &property_list(letter.properties.clone()), below, folder);
    }

    /// A page with its end; its type says what it is of.
    fn page(&mut self, kind: u8, content: &[u8]) -> (u64, usize) {
        let id = self.next_page;
        self.next_page += 4;
        self.file.resize(self.file.len().next_multiple_of(PAGE_IN_BYTES), 0);
        let at = self.file.len();
        self.file.extend(page_of(kind, content, at, id));
        (id, at)
    }

    /// A tree over sorted rows, and the page at its top.
    fn tree(&mut self, kind: u8, rows: &[Vec<u8>], in_a_page: usize) -> (u64, usize) {
        let row_in_bytes = rows.first().map_or(8, Vec::len);
        let page = |rows: &[Vec<u8>], most: usize, row_in_bytes: usize, level: u8| {
            let mut content = rows.concat();
            content.resize(488, 0);
            content.extend([rows.len() as u8, most as u8, row_in_bytes as u8, level, 0, 0, 0, 0]);
            content
        };
        let mut above = Vec::new();
        for rows in rows.chunks(in_a_page) {
            let (id, at) = self.page(kind, &page(rows, in_a_page, row_in_bytes, 0));
            let key = &rows[0][..8];
            above.push([key, &id.to_le_bytes(), &(at as u64).to_le_bytes()].concat());
            if above.len() == 1 && rows.len() < in_a_page {
                return (id, at);
            }
        }
        self.page(kind, &page(&above, 20, 24, 1))
    }
}

fn page_of(kind: u8, content: &[u8], at: usize, id: u64) -> Vec<u8> {
    let mut page = content.to_vec();
    page.resize(PAGE_IN_BYTES - BLOCK_END_IN_BYTES, 0);
    let mark = if kind == MAP { 0 } else { place_mark(at, id) };
    let sum = sum(&page);
    page.extend([kind, kind]);
    page.extend(mark.to_le_bytes());
    page.extend(sum.to_le_bytes());
    page.extend(id.to_le_bytes());
    page
}

const BLOCKS: u8 = 0x80;
const NODES: u8 = 0x81;
const MAP: u8 = 0x84;

impl Letter {
    fn new(number: u32, of: u32) -> Self {
        const FIRST: OffsetDateTime = datetime!(2026-02-03 09:00 UTC);
        let mut dice = Dice::named(&format!("order {number} of {of}"));
        let body = String::from_utf8_lossy(&writing::text(&format!("Order {}", number + 1), 3)).into_owned();
        let customer = dice.pick(&["Ines Albrecht", "Owen Tarrant", "Sofie Dahl", "Piet Visser"]);
        let address = format!("customer{}@windrose.example", number + 1);
        let ticks = ticks(FIRST + Duration::days(number.into()));
        let is_read = !number.is_multiple_of(4);
        let attached = (number == 0).then(|| b"box kite;40\r\nrokkaku;65\r\n".to_vec());
        let properties = vec![
            text(0x001a, "IPM.Note"),
            text(0x0037, &format!("Order {} of {of}", number + 1)),
            time(0x0039, ticks),
            text(0x0042, customer),
            text(0x0064, "SMTP"),
            text(0x0065, &address),
            text(0x0c1a, customer),
            text(0x0c1e, "SMTP"),
            text(0x0c1f, &address),
            text(0x0e04, "Front desk"),
            time(0x0e06, ticks),
            int(0x0e07, u32::from(is_read) | if attached.is_some() { 0x10 } else { 0 }),
            int(0x0e08, body.len() as u32),
            flag(0x0e1b, attached.is_some()),
            text(0x1000, &body),
            text(0x1035, &format!("<order-{}@windrose.example>", number + 1)),
            time(0x3007, ticks),
            time(0x3008, ticks),
            int(0x3fde, 65_001),
        ];
        Self { number: FIRST_LETTER + number * STEP, is_read, is_sent: true, attached, properties }
    }
}

/// A data file with this many letters in its inbox, at most sixty. Every fourth is not read yet, and at the
/// first is a file.
pub fn data_file(letters: u32) -> Vec<u8> {
    written(letters, Vec::new())
}

/// The same with people, events, a task and a note.
pub fn data_file_with_things(letters: u32) -> Vec<u8> {
    written(letters, things::folders())
}

fn written(letters: u32, others: Vec<things::Things>) -> Vec<u8> {
    let count = letters.min(MOST_LETTERS);
    let letters: Vec<Letter> = (0..count).map(|number| Letter::new(number, count)).collect();
    let mut writer =
        Writer { file: vec![0; DATA_AT], blocks: Vec::new(), nodes: Vec::new(), next_block: 4, next_page: 1 };
    let own_key = *b"saltmarsh kites!";
    let entry = |node: u32| [&[0; 4][..], &own_key, &node.to_le_bytes()].concat();
    let store = vec![
        bytes(0x0ff9, &own_key),
        text(0x3001, "Saltmarsh Kiteworks"),
        bytes(0x35e0, &entry(TOP)),
        bytes(0x35e3, &entry(DELETED)),
        int(0x35df, 0x89),
        int(0x67ff, 0),
    ];
    writer.node(STORE, &property_list(store), 0, 0);
    writer.node(NAMES, &property_list(things::names()), 0, 0);
    const MAIL: &str = "IPF.Note";
    writer.folder(ROOT, ROOT, ("", MAIL), &[(TOP, "Top of Outlook data file", 0)], &[]);
    let mut in_top = vec![(INBOX, "Inbox", count), (DELETED, "Deleted Items", 0)];
    in_top.extend(others.iter().map(|folder| (folder.number, folder.name, folder.things.len() as u32)));
    writer.folder(TOP, ROOT, ("Top of Outlook data file", MAIL), &in_top, &[]);
    writer.folder(INBOX, TOP, ("Inbox", MAIL), &[], &letters);
    writer.folder(DELETED, TOP, ("Deleted Items", MAIL), &[], &[]);
    for letter in &letters {
        writer.letter(letter, INBOX);
    }
    for folder in &others {
        writer.folder(folder.number, TOP, (folder.name, folder.kind), &[], &folder.things);
        folder.things.iter().for_each(|thing| writer.letter(thing, folder.number));
    }

    writer.nodes.sort_unstable();
    let node_rows: Vec<Vec<u8>> = writer
        .nodes
        .iter()
        .map(|(number, data, below, folder)| {
            [u64::from(*number), *data, *below, u64::from(*folder)]
                .into_iter()
                .flat_map(u64::to_le_bytes)
                .collect()
        })
        .collect();
    writer.blocks.sort_unstable();
    let block_rows: Vec<Vec<u8>> = writer
        .blocks
        .iter()
        .map(|(id, at, length)| {
            let place = [*id, *at as u64].into_iter().flat_map(u64::to_le_bytes);
            place.chain([*length, 2, 0, 0].into_iter().flat_map(u16::to_le_bytes)).collect()
        })
        .collect();
    let nodes = writer.tree(NODES, &node_rows, 15);
    let blocks = writer.tree(BLOCKS, &block_rows, 20);

    let Writer { mut file, next_block, next_page, .. } = writer;
    let used = (file.len() - MAP_AT).div_ceil(GRAIN_IN_BYTES);
    let mut map = vec![0_u8; PAGE_IN_BYTES - BLOCK_END_IN_BYTES];
    (0..used).for_each(|grain| map[grain / 8] |= 0x80 >> (grain % 8));
    file[MAP_AT..DATA_AT].copy_from_slice(&page_of(MAP, &map, MAP_AT, MAP_AT as u64));
    let free_in_bytes = FILE_IN_BYTES - MAP_AT - used * GRAIN_IN_BYTES;
    file.resize(FILE_IN_BYTES, 0);
    let put = |file: &mut [u8], at: usize, bytes: &[u8]| file[at..at + bytes.len()].copy_from_slice(bytes);
    put(&mut file, 0, b"!BDN");
    put(&mut file, 8, b"SM");
    put(&mut file, 10, &[23, 0, 19, 0, 1, 1]);
    put(&mut file, 32, &next_page.to_le_bytes());
    for (kind, next) in (0..32).map(|kind| (kind, (things::FIRST >> 5) + count)) {
        put(&mut file, 44 + 4 * kind, &next.to_le_bytes());
    }
    let root = [FILE_IN_BYTES as u64, MAP_AT as u64, free_in_bytes as u64, 0];
    let trees = [nodes.0, nodes.1 as u64, blocks.0, blocks.1 as u64];
    let root: Vec<u8> = root.into_iter().chain(trees).flat_map(u64::to_le_bytes).collect();
    put(&mut file, 184, &root);
    put(&mut file, 248, &[2]);
    file[256..512].fill(0xff);
    put(&mut file, 512, &[0x80, 0]);
    put(&mut file, 516, &next_block.to_le_bytes());
    let (partly, wholly) = (sum(&file[8..479]), sum(&file[8..524]));
    put(&mut file, 4, &partly.to_le_bytes());
    put(&mut file, 524, &wholly.to_le_bytes());
    file
}
