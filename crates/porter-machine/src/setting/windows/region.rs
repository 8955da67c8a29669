//! The country that a person is in: news, weather and shops go by it.

use super::table::{Row, Table, build};
use super::tell::Tell;

const GEO: &str = "Control Panel\\International\\Geo";
const INTL: Tell = Tell::Section("intl");

/// See the module. Every person has it; a country is never Windows' own.
pub static REGION: Table = Table {
    id: "region",
    title: "Country",
    programs: &[],
    rows: &[
        Row::text("nation", GEO, "Nation").tells(INTL),
        Row::text("country", GEO, "Name").since(build::TEN_1709).tells(INTL),
    ],
};
