//! Language and formats: dates, times, numbers, money and paper.

use super::table::{Row, Table, build};
use super::tell::Tell;

const INTERNATIONAL: &str = "Control Panel\\International";

const fn row(fact: &'static str, name: &'static str) -> Row {
    Row::text(fact, INTERNATIONAL, name).tells(Tell::Section("intl"))
}

/// See the module. All of the key is carried, because which of it is the language's own only the running
/// Windows knows.
pub static FORMATS: Table = Table {
    id: "locale",
    title: "Language and formats",
    programs: &[],
    rows: &[
        row("name", "LocaleName").since(build::VISTA),
        // Windows 2000 and XP know only the number.
        row("windows-id", "Locale"),
        row("language", "sLanguage"),
        row("country", "sCountry"),
        row("country-code", "iCountry"),
        row("short-date", "sShortDate"),
        row("long-date", "sLongDate"),
        row("year-and-month", "sYearMonth"),
        row("date-separator", "sDate"),
        row("date-order", "iDate"),
        row("calendar", "iCalendarType"),
        row("first-day-of-week", "iFirstDayOfWeek"),
        row("first-week-of-year", "iFirstWeekOfYear"),
        row("time", "sTimeFormat"),
        row("short-time", "sShortTime").since(build::SEVEN),
        row("time-separator", "sTime"),
        row("time-24-hours", "iTime"),
        row("time-mark-first", "iTimePrefix"),
        row("time-leading-zero", "iTLZero"),
        row("morning", "s1159"),
        row("afternoon", "s2359"),
        row("decimal", "sDecimal"),
        row("thousands", "sThousand"),
        row("grouping", "sGrouping"),
        row("digits", "iDigits"),
        row("leading-zero", "iLZero"),
        row("negative", "iNegNumber"),
        row("negative-sign", "sNegativeSign"),
        row("positive-sign", "sPositiveSign"),
        row("native-digits", "sNativeDigits"),
        row("digit-shapes", "NumShape"),
        row("list", "sList"),
        row("currency", "sCurrency"),
        row("currency-place", "iCurrency"),
        row("currency-digits", "iCurrDigits"),
        row("currency-negative", "iNegCurr"),
        row("currency-decimal", "sMonDecimalSep"),
        row("currency-thousands", "sMonThousandSep"),
        row("currency-grouping", "sMonGrouping"),
        row("measure", "iMeasure"),
        row("paper", "iPaperSize"),
    ],
};
