//! The frame of every page: one file that loads nothing, to be read on a screen, printed on A4 in black and
//! white, and read aloud.

use porter_trunk::TrunkProgram;
use std::fmt::Write;

/// The beginning of a page.
pub(crate) fn begin(title: &str) -> String {
    format!(
        "<!DOCTYPE html>\n<html lang=\"en\">\n<head>\n<meta charset=\"utf-8\">\n\
         <meta name=\"viewport\" content=\"width=device-width, initial-scale=1\">\n<title>{}</title>\n<style>{}</style>\n</head>\n<body>\n<main>\n",
        text(title),
        include_str!("page.css")
    )
}

/// The same for paper: each sheet has the words `on_each_sheet` and its number at its foot.
pub(crate) fn begin_sheets(title: &str, on_each_sheet: &str) -> String {
    let begin = begin(title);
    let rule = format!(
        "@page {{ @bottom-left {{ content: \"{}\"; }} @bottom-right {{ content: \"Sheet \" counter(page) \" of \" counter(pages); }} }}",
        in_style(on_each_sheet)
    );
    begin.replacen("</style>", &format!("{rule}\n</style>"), 1)
}

/// Text that ends no string of a style sheet, whatever is in it.
fn in_style(text: &str) -> String {
    let harmless = porter_names::screen::on_screen(text.as_bytes());
    let escaped = harmless.chars().map(|c| match c {
        c if c.is_ascii_alphanumeric() || matches!(c, ' ' | '-' | '_' | '.') => c.to_string(),
        c => format!("\\{:06x}", u32::from(c)),
    });
    escaped.collect()
}

/// The page with its end.
pub(crate) fn end(mut page: String, last_line: &str) -> String {
    let made_by = concat!("porter ", env!("CARGO_PKG_VERSION"));
    // Writing to a String cannot fail, here and elsewhere.
    let _ = write!(page, "<footer>{} by {made_by}</footer>\n</main>\n</body>\n</html>\n", text(last_line));
    page
}

/// Programs, to tick off.
pub(crate) fn programs(page: &mut String, rows: impl Iterator<Item = TrunkProgram>) {
    let _ = write!(
        page,
        "<table class=\"items programs\">\n<thead><tr><th scope=\"col\">Done</th><th scope=\"col\">Program</th>\
         <th scope=\"col\">Version</th><th scope=\"col\">Made by</th></tr></thead>\n<tbody>\n"
    );
    for row in rows {
        let whose = row.account.as_ref().map(|account| format!(" ({account} only)")).unwrap_or_default();
        let _ = writeln!(
            page,
            "<tr><td class=\"tick\">&#9744;</td><td><bdi>{}</bdi>{}</td><td>{}</td><td>{}</td></tr>",
            text(&row.name),
            text(&whose),
            text(row.version.as_deref().unwrap_or_default()),
            text(row.publisher.as_deref().unwrap_or_default())
        );
    }
    let _ = write!(page, "</tbody>\n</table>\n");
}

/// Text that cannot be taken for markup, or steer what shows it.
pub(crate) fn text(text: &str) -> String {
    let harmless = porter_names::screen::on_screen(text.as_bytes());
    porter_formats::html::escaped(&harmless)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_hostile_name_is_only_text() {
        assert_eq!(in_style("SK-1\"}</style>"), "SK-1\\000022\\00007d\\00003c\\00002fstyle\\00003e");
        assert_eq!(text("<script>'&\u{202e}\x1b"), "&lt;script&gt;&#39;&amp;\\u{202e}\\u{1b}");
    }
}
