//! Mork: the tables in which old versions of Mozilla's mail programs keep address books (`abook.mab`) and
//! indexes of mailboxes (`.msf`). The grammar is published at
//! <https://firefox-source-docs.mozilla.org/> (*Mork*, `mork.grammar`).
//!
//! A file begins with its first state; each group behind it changes that, until the file is next written
//! whole. A group that was not ended counts for nothing.

use crate::FormatError;
use crate::mail::autocomplete::Address;
use std::collections::{BTreeSet, HashMap};

/// The format, in errors.
const WHAT: &str = "Mork";
/// The beginning of every file, up to its version.
pub const BEGIN: &[u8; 19] = b"// <!-- <mdb:mork:z";
/// Rows of people, and rows of lists of people.
const CARDS: &[u8] = b"ns:addrbk:db:row:scope:card:all";
const LISTS: &[u8] = b"ns:addrbk:db:row:scope:list:all";
/// The table of an address book; others hold what was deleted.
const ADDRESS_BOOK: &[u8] = b"ns:addrbk:db:table:kind:pab";

/// The table of an index that tells of its mailbox.
const FOLDER_INFO: &[u8] = b"ns:msg:db:table:kind:dbfolderinfo";

/// A row or a table: its number, and the name of its scope.
type Id = (Vec<u8>, Vec<u8>);

/// The tables of a file as they are after all its groups.
#[derive(Debug, Default)]
pub struct Mork {
    rows: HashMap<Id, HashMap<Vec<u8>, Vec<u8>>>,
    tables: HashMap<Id, Table>,
}

#[derive(Debug, Default, Clone)]
struct Table {
    kind: Vec<u8>,
    rows: BTreeSet<Id>,
}

/// People and lists in an address book.
pub fn address_book_counts(file: &[u8]) -> Result<(u64, u64), FormatError> {
    let mork = Mork::from_bytes(file)?;
    let rows = mork.rows_of_book();
    let of = |scope: &[u8]| rows.iter().filter(|(_, own)| own == scope).count() as u64;
    Ok((of(CARDS), of(LISTS)))
}

/// All people with an address in an address book.
pub fn people(file: &[u8]) -> Result<Vec<Address>, FormatError> {
    let mork = Mork::from_bytes(file)?;
    let cards = mork.rows_of_book().into_iter().filter(|(_, own)| own == CARDS);
    let text = |cells: &HashMap<Vec<u8>, Vec<u8>>, column: &str| {
        cells
            .get(column.as_bytes())
            .map(|value| String::from_utf8_lossy(value).into_owned())
            .unwrap_or_default()
    };
    let people = cards.filter_map(|id| mork.rows.get(id)).map(|cells| Address {
        name: text(cells, "DisplayName"),
        address: text(cells, "PrimaryEmail"),
        is_of_internet: true,
    });
    Ok(people.filter(|person| !person.address.is_empty()).collect())
}

/// The words of an index about its mailbox.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct FolderSummary {
    /// All letters but those that are deleted.
    pub messages: u64,
    /// Those of them that nobody has read.
    pub unread: u64,
    /// The length of the mailbox that it was made of.
    pub mailbox_in_bytes: u64,
    /// When that was last changed, in seconds since 1970.
    pub mailbox_modified_in_seconds: i64,
}

/// The summary of an index (`.msf`). None if it says nothing of a mailbox.
pub fn folder_summary(file: &[u8]) -> Result<Option<FolderSummary>, FormatError> {
    let mork = Mork::from_bytes(file)?;
    let mut tables = mork.tables.values().filter(|table| table.kind == FOLDER_INFO);
    let Some(cells) = tables.find_map(|table| mork.rows.get(table.rows.first()?)) else { return Ok(None) };
    let long = |column: &str| {
        let text = std::str::from_utf8(cells.get(column.as_bytes())?).ok()?;
        u64::from_str_radix(text, 16).ok()
    };
    let number = |column: &str| u32::try_from(long(column)?).ok();
    let summary = || {
        Some(FolderSummary {
            messages: number("numMsgs")?.into(),
            unread: number("numNewMsgs").unwrap_or(0).into(),
            mailbox_in_bytes: long("folderSize")?,
            mailbox_modified_in_seconds: number("folderDate")?.into(),
        })
    };
    Ok(summary())
}

impl Mork {
    /// Reads a file. Time and memory are bounded by its length.
    pub fn from_bytes(file: &[u8]) -> Result<Self, FormatError> {
        if !file.starts_with(BEGIN) {
            return Err(FormatError::damaged(WHAT, "it does not begin as such a file"));
        }
        let mut reader = Reader { text: file, at: 0, columns: HashMap::new(), values: HashMap::new() };
        let mut mork = Self::default();
        while reader.skip_blank() {
            match reader.next() {
                b'<' => reader.dictionary()?,
                b'[' => {
                    reader.row(&mut mork, b"")?;
                }
                b'{' => reader.table(&mut mork)?,
                b'@' => {
                    if !reader.begin_group()? {
                        break;
                    }
                }
                other => return Err(reader.unexpected(other)),
            }
        }
        Ok(mork)
    }

    /// The rows of address books, each once.
    fn rows_of_book(&self) -> BTreeSet<&Id> {
        let books = self.tables.values().filter(|table| table.kind == ADDRESS_BOOK);
        books.flat_map(|table| &table.rows).collect()
    }
}

struct Reader<'t> {
    text: &'t [u8],
    at: usize,
    columns: HashMap<Vec<u8>, Vec<u8>>,
    values: HashMap<Vec<u8>, Vec<u8>>,
}

impl Reader<'_> {
    fn peek(&self) -> Option<u8> {
        self.text.get(self.at).copied()
    }

    /// The next byte, behind which it then stands; 0 at the end.
    fn next(&mut self) -> u8 {
        let byte = self.peek().unwrap_or_default();
        self.at += 1;
        byte
    }

    fn unexpected(&self, byte: u8) -> FormatError {
        let at = self.at.saturating_sub(1);
        let found = if at < self.text.len() { format!("{:?}", byte as char) } else { "the end".to_owned() };
        FormatError::damaged(WHAT, format!("{found} at byte {at}"))
    }

    /// Passes by blanks and comments; false at the end.
    fn skip_blank(&mut self) -> bool {
        while let Some(byte) = self.peek() {
            if byte == b'/' && self.text.get(self.at + 1) == Some(&b'/') {
                let rest = &self.text[self.at..];
                self.at += memchr::memchr2(b'\n', b'\r', rest).unwrap_or(rest.len());
            } else if byte.is_ascii_whitespace() {
                self.at += 1;
            } else {
                return true;
            }
        }
        false
    }

    fn until(&mut self, is_end: impl Fn(u8) -> bool) -> Vec<u8> {
        let rest = self.text.get(self.at..).unwrap_or_default();
        let length = rest.iter().position(|byte| is_end(*byte)).unwrap_or(rest.len());
        self.at += length;
        rest[..length].to_vec()
    }

    /// Letters and digits of a number or name.
    fn token(&mut self) -> Vec<u8> {
        self.until(|byte| byte.is_ascii_whitespace() || b"()<>[]{}:^=@!-+".contains(&byte))
    }

    /// A value up to the bracket that ends its cell, without its escapes.
    fn literal(&mut self) -> Result<Vec<u8>, FormatError> {
        let mut value = Vec::new();
        loop {
            match self.next() {
                b')' => return Ok(value),
                0 if self.at > self.text.len() => return Err(self.unexpected(0)),
                b'\\' => match self.next() {
                    b'\r' if self.peek() == Some(b'\n') => self.at += 1,
                    b'\n' | b'\r' => {}
                    other => value.push(other),
                },
                b'$' => {
                    let digits = self.text.get(self.at..self.at + 2).unwrap_or_default();
                    let digits = std::str::from_utf8(digits).ok();
                    match digits.and_then(|digits| u8::from_str_radix(digits, 16).ok()) {
                        Some(byte) => {
                            value.push(byte);
                            self.at += 2;
                        }
                        None => value.push(b'$'),
                    }
                }
                other => value.push(other),
            }
        }
    }

    /// `<(80=name)(81=other)>`, with `<(a=c)>` in front of names of columns.
    fn dictionary(&mut self) -> Result<(), FormatError> {
        let mut is_of_columns = false;
        while self.skip_blank() {
            match self.next() {
                b'>' => return Ok(()),
                b'<' => {
                    let about = self.until(|byte| byte == b'>');
                    self.at += 1;
                    is_of_columns = about.windows(3).any(|text| text == b"a=c");
                }
                b'(' => {
                    self.skip_blank();
                    let number = self.token();
                    // Long lines are broken here.
                    self.skip_blank();
                    if self.next() != b'=' {
                        return Err(self.unexpected(b'('));
                    }
                    let value = self.literal()?;
                    let atoms = if is_of_columns { &mut self.columns } else { &mut self.values };
                    atoms.insert(number, value);
                }
                other => return Err(self.unexpected(other)),
            }
        }
        Err(self.unexpected(0))
    }

    /// A name that stands there, or behind `^` the number of one among the columns.
    fn column(&mut self) -> Vec<u8> {
        if self.peek() != Some(b'^') {
            return self.token();
        }
        self.at += 1;
        let number = self.token();
        self.columns.get(&number).cloned().unwrap_or(number)
    }

    /// `1:^80`, or `1` in the scope of what it stands in.
    fn id(&mut self, around: &[u8]) -> Id {
        let number = self.token();
        if self.peek() != Some(b':') {
            return (number, around.to_vec());
        }
        self.at += 1;
        (number, self.column())
    }

    /// The column and value of a cell, behind its bracket.
    fn cell(&mut self) -> Result<(Vec<u8>, Vec<u8>), FormatError> {
        self.skip_blank();
        let column = self.column();
        self.skip_blank();
        match self.next() {
            b'=' => Ok((column, self.literal()?)),
            b'^' => {
                let number = self.token();
                let end = self.until(|byte| byte == b')');
                self.at += 1;
                // `^C0:c`: among the columns.
                let atoms = if end == b":c" { &self.columns } else { &self.values };
                Ok((column, atoms.get(&number).cloned().unwrap_or_default()))
            }
            other => Err(self.unexpected(other)),
        }
    }

    /// Behind its bracket. With a sign in front of its number it loses what it had.
    fn row(&mut self, mork: &mut Mork, scope: &[u8]) -> Result<Id, FormatError> {
        self.skip_blank();
        let is_cut = self.peek() == Some(b'-');
        self.at += usize::from(is_cut);
        let id = self.id(scope);
        let cells = mork.rows.entry(id.clone()).or_default();
        if is_cut {
            cells.clear();
        }
        while self.skip_blank() {
            match self.next() {
                b']' => return Ok(id),
                b'(' => {
                    let (column, value) = self.cell()?;
                    cells.insert(column, value);
                }
                // A single cell that is taken out, or what is said about the row.
                b'-' => {}
                b'[' => {
                    self.until(|byte| byte == b']');
                    self.at += 1;
                }
                other => return Err(self.unexpected(other)),
            }
        }
        Err(self.unexpected(0))
    }

    /// Behind its bracket.
    fn table(&mut self, mork: &mut Mork) -> Result<(), FormatError> {
        self.skip_blank();
        let is_cut = self.peek() == Some(b'-');
        self.at += usize::from(is_cut);
        let id = self.id(b"");
        let mut table = mork.tables.remove(&id).unwrap_or_default();
        if is_cut {
            table.rows.clear();
        }
        let mut goes = false;
        while self.skip_blank() {
            match self.next() {
                b'}' => {
                    mork.tables.insert(id, table);
                    return Ok(());
                }
                b'{' => self.about_table(mork, &id.1, &mut table)?,
                b'-' => {
                    goes = true;
                    continue;
                }
                b'[' => {
                    let row = self.row(mork, &id.1)?;
                    if goes {
                        table.rows.remove(&row)
                    } else {
                        table.rows.insert(row)
                    };
                }
                byte if byte.is_ascii_alphanumeric() => {
                    self.at -= 1;
                    let row = self.id(&id.1);
                    if goes {
                        table.rows.remove(&row)
                    } else {
                        table.rows.insert(row)
                    };
                    // Its new place among the rows means nothing here.
                    if self.peek() == Some(b'!') {
                        self.at += 1;
                        self.token();
                    }
                }
                other => return Err(self.unexpected(other)),
            }
            goes = false;
        }
        Err(self.unexpected(0))
    }

    /// `{(k^C0:c)(s=9) [1:^82(^BF=1)]}`: the kind of a table, and a row about it.
    fn about_table(&mut self, mork: &mut Mork, scope: &[u8], table: &mut Table) -> Result<(), FormatError> {
        while self.skip_blank() {
            match self.next() {
                b'}' => return Ok(()),
                b'(' => {
                    let (column, value) = self.cell()?;
                    if column == b"k" {
                        table.kind = value;
                    }
                }
                b'[' => {
                    self.row(mork, scope)?;
                }
                byte if byte.is_ascii_alphanumeric() => {
                    self.at -= 1;
                    self.id(scope);
                }
                other => return Err(self.unexpected(other)),
            }
        }
        Err(self.unexpected(0))
    }

    /// Behind its sign: `@$${1A{@` begins a group, `@$$}1A}@` ends it. One that has no end is passed by, with
    /// all that is behind it; false then.
    fn begin_group(&mut self) -> Result<bool, FormatError> {
        let sign = self.until(|byte| byte == b'@');
        self.at += 1;
        let Some(number) = sign.strip_prefix(b"$${").and_then(|rest| rest.strip_suffix(b"{")) else {
            let is_end = sign.starts_with(b"$$}");
            return if is_end { Ok(true) } else { Err(self.unexpected(b'@')) };
        };
        let end = [b"@$$}", number, b"}@"].concat();
        let rest = self.text.get(self.at..).unwrap_or_default();
        Ok(memchr::memmem::find(rest, &end).is_some())
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    const BOOK: &[u8] = br#"// <!-- <mdb:mork:z v="1.4"/> -->
< <(a=c)> // (f=iso-8859-1)
  (80=ns:addrbk:db:row:scope:card:all)(81=ns:addrbk:db:row:scope:list:all)
  (82=ns:addrbk:db:row:scope:data:all)(83=DisplayName)(84=PrimaryEmail)
  (C0=ns:addrbk:db:table:kind:pab)(C1=ns:addrbk:db:table:kind:deleted)>
<(90=Ines Albrecht)(91=ines@saltmarsh.example)(92=B\)en $C3$A9\
t\\\$5)>
{1:^80 {(k^C0:c)(s=9) [1:^82(^83=3)]}
  [1(^83^90)(^84^91)]
  [2(^83^92)(^84=ben@saltmarsh.example)]
  [3(^83=gone)]
  [1:^81(^83=Stall holders)]}
{2:^80 {(k^C1:c)(s=9)} [9(^83=deleted long ago)]}
@$${1{@
{1:^80 {(k^C0:c)(s=9)} -3 [-2(^83=Ben)] [4(^83=Odile)]}
@$$}1}@
@$${2{@
{1:^80 {(k^C0:c)(s=9)} [5(^83=never written whole)]"#;

    #[test]
    fn people_are_those_that_are_there_after_the_last_whole_group() {
        assert_eq!(address_book_counts(BOOK).unwrap(), (3, 1));
        let named = |file: &[u8]| -> Vec<(String, String)> {
            people(file).unwrap().into_iter().map(|person| (person.name, person.address)).collect()
        };
        // Ben has lost his address, and Odile has none.
        let ines = ("Ines Albrecht".to_owned(), "ines@saltmarsh.example".to_owned());
        assert_eq!(named(BOOK), std::slice::from_ref(&ines));
        let first = &BOOK[..memchr::memmem::find(BOOK, b"@$${1").unwrap()];
        assert_eq!(address_book_counts(first).unwrap(), (3, 1));
        let ben = ("B)en \u{e9}t\\$5".to_owned(), "ben@saltmarsh.example".to_owned());
        assert_eq!(named(first), [ines, ben]);
    }

    #[test]
    fn an_index_tells_of_its_mailbox_as_it_is_after_the_last_change() {
        let index = "// <!-- <mdb:mork:z v=\"1.4\"/> -->\n< <(a=c)> // (f=iso-8859-1)\n\
            (80=ns:msg:db:row:scope:msgs:all)(88=flags)(96=ns:msg:db:table:kind:msgs)(9F\n    =ns:msg:db:row:scope:dbfolderinfo:all)\n\
            (A0=ns:msg:db:table:kind:dbfolderinfo)(A1=numMsgs)(A2=numNewMsgs)(A3=folderSize)(A5=folderDate)>\n\
            [1:m(^88=1)]<(B1=906)(84\n    =6b0cc5f7)>\n{1:^80 {(k^96:c)(s=9)1:m } \n  [1(^88=5)\n    (^88^B1)]}\n\
            {1:^9F {(k^A0:c)(s=9)} [1(^A3^B1)(^A5^84)(^A1=7)(^A2=4)]}\n";
        let summary = |index: &str| folder_summary(index.as_bytes()).unwrap();
        let first = FolderSummary {
            messages: 7,
            unread: 4,
            mailbox_in_bytes: 2310,
            mailbox_modified_in_seconds: 0x6b0c_c5f7,
        };
        assert_eq!(summary(index), Some(first));
        let read = format!("{index}@$${{1{{@[1:^9F(^A2=3)]@$$}}1}}@");
        assert_eq!(summary(&read), Some(FolderSummary { unread: 3, ..first }));
        assert_eq!(summary(&index.replace("(A3=folderSize)", "(A3=other)")), None);
        assert!(folder_summary(&index.as_bytes()[..index.len() - 9]).is_err());
    }

    #[test]
    fn a_file_that_is_torn_is_an_error_and_no_empty_book() {
        let table = memchr::memmem::find(BOOK, b"[3(").unwrap();
        for end in [table, table + 5, 200, 40] {
            assert!(address_book_counts(&BOOK[..end]).is_err(), "{end}");
        }
        assert!(address_book_counts(b"").is_err() && address_book_counts(b"SQLite").is_err());
    }
}
