//! The defaults of a printer, for pages of which nobody says otherwise: paper, sides, direction, colour,
//! copies.
//!
//! Windows keeps it in a `DEVMODEW` (`wingdi.h`), whose further part is the driver's own and fits no other
//! driver. CUPS has options: of a description (`PageSize`, `Duplex`, `ColorModel`), or of IPP (RFC 8011,
//! 5.2; names of paper from PWG 5101.1).

use crate::FormatError;

/// See the module. A field without a value stays as the printer has it.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct PrintDefaults {
    /// The size of the paper.
    pub paper: Option<Paper>,
    /// On which sides.
    pub sides: Option<Sides>,
    /// True for pages that lie.
    pub is_landscape: Option<bool>,
    /// False for shades of grey.
    pub in_colour: Option<bool>,
    /// How often.
    pub copies: Option<u16>,
}

/// The sides of a sheet.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Sides {
    /// One.
    One,
    /// Both, turned as a book.
    LongEdge,
    /// Both, turned as a pad.
    ShortEdge,
}

/// A size of paper, by whatever name it is known: a row of the table below.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Paper(usize);

/// Number in `wingdi.h`, name in a PPD, name in PWG 5101.1.
const PAPERS: [(u16, &str, &str); 14] = [
    (1, "Letter", "na_letter_8.5x11in"),
    (3, "Tabloid", "na_ledger_11x17in"),
    (5, "Legal", "na_legal_8.5x14in"),
    (7, "Executive", "na_executive_7.25x10.5in"),
    (8, "A3", "iso_a3_297x420mm"),
    (9, "A4", "iso_a4_210x297mm"),
    (11, "A5", "iso_a5_148x210mm"),
    (12, "B4", "jis_b4_257x364mm"),
    (13, "B5", "jis_b5_182x257mm"),
    (20, "Env10", "na_number-10_4.125x9.5in"),
    (27, "EnvDL", "iso_dl_110x220mm"),
    (28, "EnvC5", "iso_c5_162x229mm"),
    (66, "A2", "iso_a2_420x594mm"),
    (70, "A6", "iso_a6_105x148mm"),
];

impl Paper {
    fn with(is_it: impl Fn(&(u16, &str, &str)) -> bool) -> Option<Self> {
        PAPERS.iter().position(is_it).map(Self)
    }

    fn of_name(name: &str) -> Option<Self> {
        Self::with(|(_, ppd, pwg)| ppd.eq_ignore_ascii_case(name) || *pwg == name)
    }

    fn row(self) -> (u16, &'static str, &'static str) {
        PAPERS[self.0]
    }
}

/// The names of a choice of sides: in `wingdi.h`, as a fact, in IPP, in a PPD.
struct SidesRow {
    sides: Sides,
    number: u16,
    fact: &'static str,
    ipp: &'static str,
    ppd: &'static str,
}

const SIDES: [SidesRow; 3] = [
    SidesRow { sides: Sides::One, number: 1, fact: "one", ipp: "one-sided", ppd: "None" },
    SidesRow {
        sides: Sides::LongEdge,
        number: 2,
        fact: "both-along-the-long-edge",
        ipp: "two-sided-long-edge",
        ppd: "DuplexNoTumble",
    },
    SidesRow {
        sides: Sides::ShortEdge,
        number: 3,
        fact: "both-along-the-short-edge",
        ipp: "two-sided-short-edge",
        ppd: "DuplexTumble",
    },
];

impl Sides {
    fn with(is_it: impl Fn(&SidesRow) -> bool) -> Option<Self> {
        SIDES.iter().find(|row| is_it(row)).map(|row| row.sides)
    }

    fn row(self) -> &'static SidesRow {
        SIDES.iter().find(|row| row.sides == self).unwrap_or(&SIDES[0])
    }
}

// Offsets in a `DEVMODEW`.
const SIZE: usize = 68;
const FIELDS: usize = 72;
const ORIENTATION: usize = 76;
const PAPER: usize = 78;
const COPIES: usize = 86;
const COLOUR: usize = 92;
const DUPLEX: usize = 94;
/// Behind the last of them.
const LEAST_IN_BYTES: usize = 96;

// Bits of its fields, and two of its values.
const HAS_ORIENTATION: u32 = 0x1;
const HAS_PAPER: u32 = 0x2;
const HAS_COPIES: u32 = 0x100;
const HAS_COLOUR: u32 = 0x800;
const HAS_DUPLEX: u32 = 0x1000;
const LANDSCAPE: u16 = 2;
const IN_COLOUR: u16 = 2;

/// Names of facts.
const PAPER_FACT: &str = "paper";
const SIDES_FACT: &str = "sides";
const DIRECTION_FACT: &str = "pages";
const COLOUR_FACT: &str = "colour";
const COPIES_FACT: &str = "copies";
/// All of them.
pub const FACTS: [&str; 5] = [PAPER_FACT, SIDES_FACT, DIRECTION_FACT, COLOUR_FACT, COPIES_FACT];

impl PrintDefaults {
    /// Reads a `DEVMODEW`, without values that its fields do not announce, and those of the driver's own.
    pub fn from_devmode(bytes: &[u8]) -> Result<Self, FormatError> {
        let damaged = |detail: &str| FormatError::damaged("a DEVMODE", detail);
        let number = |at: usize| {
            let pair = bytes.get(at..at + 2).and_then(|pair| pair.try_into().ok());
            pair.map(u16::from_le_bytes).ok_or_else(|| damaged("it ends too early"))
        };
        if bytes.len() < LEAST_IN_BYTES || usize::from(number(SIZE)?) < LEAST_IN_BYTES {
            return Err(damaged("it ends too early"));
        }
        let fields = u32::from(number(FIELDS)?) | (u32::from(number(FIELDS + 2)?) << 16);
        let told = |bit: u32, at: usize| if fields & bit == 0 { Ok(None) } else { number(at).map(Some) };
        let paper = told(HAS_PAPER, PAPER)?;
        let sides = told(HAS_DUPLEX, DUPLEX)?;
        Ok(Self {
            paper: paper.and_then(|paper| Paper::with(|(number, ..)| *number == paper)),
            sides: sides.and_then(|sides| Sides::with(|row| row.number == sides)),
            is_landscape: told(HAS_ORIENTATION, ORIENTATION)?.map(|direction| direction == LANDSCAPE),
            in_colour: told(HAS_COLOUR, COLOUR)?.map(|colour| colour == IN_COLOUR),
            copies: told(HAS_COPIES, COPIES)?.filter(|copies| (1..=999).contains(copies)),
        })
    }

    /// Enters them into a `DEVMODEW` that a driver has made; false if it is none.
    pub fn enter(&self, devmode: &mut [u8]) -> bool {
        if Self::from_devmode(devmode).is_err() {
            return false;
        }
        let mut fields = 0;
        let mut put = |bit: u32, at: usize, value: Option<u16>| {
            if let (Some(value), Some(place)) = (value, devmode.get_mut(at..at + 2)) {
                place.copy_from_slice(&value.to_le_bytes());
                fields |= bit;
            }
        };
        put(HAS_PAPER, PAPER, self.paper.map(|paper| paper.row().0));
        put(HAS_DUPLEX, DUPLEX, self.sides.map(|sides| sides.row().number));
        put(HAS_ORIENTATION, ORIENTATION, self.is_landscape.map(|lies| if lies { LANDSCAPE } else { 1 }));
        put(HAS_COLOUR, COLOUR, self.in_colour.map(|colour| if colour { IN_COLOUR } else { 1 }));
        put(HAS_COPIES, COPIES, self.copies);
        if let Some(place) = devmode.get_mut(FIELDS..FIELDS + 4) {
            for (place, bits) in place.iter_mut().zip(fields.to_le_bytes()) {
                *place |= bits;
            }
        }
        true
    }

    /// Tells them as facts of a printer. One side, upright, in colour and once are none: a printer does so
    /// anyway.
    pub fn facts(&self) -> Vec<(&'static str, String)> {
        let facts = [
            (PAPER_FACT, self.paper.map(|paper| paper.row().1.to_owned())),
            (
                SIDES_FACT,
                self.sides.filter(|sides| *sides != Sides::One).map(|sides| sides.row().fact.to_owned()),
            ),
            (DIRECTION_FACT, self.is_landscape.filter(|lies| *lies).map(|_| "lying".to_owned())),
            (COLOUR_FACT, self.in_colour.filter(|colour| !colour).map(|_| "grey".to_owned())),
            (COPIES_FACT, self.copies.filter(|copies| *copies > 1).map(|copies| copies.to_string())),
        ];
        facts.into_iter().filter_map(|(name, value)| Some((name, value?))).collect()
    }

    /// The same the other way. A fact that is missing leaves it as the new printer has it.
    pub fn from_facts<'f>(fact: impl Fn(&str) -> Option<&'f str>) -> Self {
        Self {
            paper: fact(PAPER_FACT).and_then(Paper::of_name),
            sides: fact(SIDES_FACT).and_then(|name| Sides::with(|row| row.fact == name)),
            is_landscape: fact(DIRECTION_FACT).map(|direction| direction == "lying"),
            in_colour: fact(COLOUR_FACT).map(|colour| colour != "grey"),
            copies: fact(COPIES_FACT)
                .and_then(|copies| copies.parse().ok())
                .filter(|copies| (1..=999).contains(copies)),
        }
    }

    /// As options of CUPS, by the names of IPP.
    pub fn to_options(&self) -> Vec<(String, String)> {
        let options = [
            ("media", self.paper.map(|paper| paper.row().2.to_owned())),
            ("sides", self.sides.map(|sides| sides.row().ipp.to_owned())),
            // RFC 8011, 5.2.10: 3 stands, 4 lies.
            ("orientation-requested", self.is_landscape.map(|lies| if lies { "4" } else { "3" }.to_owned())),
            (
                "print-color-mode",
                self.in_colour.map(|colour| if colour { "color" } else { "monochrome" }.to_owned()),
            ),
            ("copies", self.copies.map(|copies| copies.to_string())),
        ];
        options.into_iter().filter_map(|(name, value)| Some((name.to_owned(), value?))).collect()
    }

    /// Reads options of CUPS, by the names of IPP or those that most descriptions have.
    pub fn from_options(options: &[(String, String)]) -> Self {
        let option = |names: &[&str]| {
            let found = options.iter().find(|(name, _)| names.contains(&name.as_str()));
            found.map(|(_, value)| value.as_str())
        };
        Self {
            paper: option(&["media", "PageSize"]).and_then(Paper::of_name),
            sides: option(&["sides", "Duplex"])
                .and_then(|name| Sides::with(|row| row.ipp == name || row.ppd == name)),
            is_landscape: option(&["orientation-requested"]).map(|direction| direction == "4"),
            in_colour: option(&["print-color-mode", "ColorModel"]).and_then(|colour| match colour {
                "monochrome" | "Gray" | "Grayscale" | "Mono" => Some(false),
                "color" | "RGB" | "CMYK" | "Color" => Some(true),
                _ => None,
            }),
            copies: option(&["copies"]).and_then(|copies| copies.parse().ok()),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Made by no driver: 220 bytes that announce everything, and 8 of a driver's own.
    fn devmode() -> Vec<u8> {
        let mut bytes = vec![0; 228];
        let mut put = |at: usize, value: u16| bytes[at..at + 2].copy_from_slice(&value.to_le_bytes());
        let rows = [(SIZE, 220), (70, 8), (FIELDS, 0x1903), (ORIENTATION, 1), (PAPER, 9), (COPIES, 1)];
        rows.into_iter().chain([(COLOUR, 2), (DUPLEX, 1)]).for_each(|(at, value)| put(at, value));
        bytes[220..].fill(0xaa);
        bytes
    }

    #[test]
    fn what_a_printer_does_of_itself_is_read_told_and_entered() {
        let mut bytes = devmode();
        let of_itself = PrintDefaults::from_devmode(&bytes).unwrap();
        assert_eq!(of_itself.facts(), [("paper", "A4".to_owned())]);
        let wanted = PrintDefaults {
            paper: Paper::of_name("Letter"),
            sides: Some(Sides::LongEdge),
            is_landscape: Some(true),
            in_colour: Some(false),
            copies: Some(2),
        };
        let facts = wanted.facts();
        assert_eq!(facts.iter().map(|(name, _)| *name).collect::<Vec<_>>(), FACTS);
        let fact =
            |name: &str| facts.iter().find(|(known, _)| *known == name).map(|(_, value)| value.as_str());
        assert_eq!(PrintDefaults::from_facts(fact), wanted);
        assert_eq!(PrintDefaults::from_options(&wanted.to_options()), wanted);
        assert!(wanted.enter(&mut bytes));
        assert_eq!(PrintDefaults::from_devmode(&bytes).unwrap(), wanted);
        assert!(bytes[220..].iter().all(|byte| *byte == 0xaa), "the driver's own part is the driver's");
        // The rest stays.
        assert!(PrintDefaults::default().enter(&mut bytes));
        assert_eq!(PrintDefaults::from_devmode(&bytes).unwrap(), wanted);
    }

    #[test]
    fn what_is_not_announced_is_not_believed_and_what_is_cut_off_is_damaged() {
        let mut bytes = devmode();
        bytes[FIELDS..FIELDS + 4].fill(0);
        assert_eq!(PrintDefaults::from_devmode(&bytes).unwrap(), PrintDefaults::default());
        bytes[FIELDS..FIELDS + 4].fill(0xff);
        bytes[PAPER] = 200;
        bytes[DUPLEX] = 9;
        let odd = PrintDefaults::from_devmode(&bytes).unwrap();
        assert_eq!((odd.paper, odd.sides), (None, None));
        for length in [0, 68, 95] {
            assert!(PrintDefaults::from_devmode(&bytes[..length]).is_err(), "{length}");
        }
        bytes[SIZE] = 40;
        assert!(PrintDefaults::from_devmode(&bytes).is_err() && !odd.enter(&mut bytes));
        let of_description = [("PageSize", "A5"), ("Duplex", "DuplexTumble"), ("ColorModel", "Gray")];
        let of_description = of_description.map(|(name, value)| (name.to_owned(), value.to_owned()));
        let expected = [("paper", "A5"), ("sides", "both-along-the-short-edge"), ("colour", "grey")];
        let expected = expected.map(|(name, value)| (name, value.to_owned()));
        assert_eq!(PrintDefaults::from_options(&of_description).facts(), expected);
    }
}
