//! Links are made again only if they stay inside their place.

use porter_names::RelativePath;

/// True if a link at `link` (below its place), leading to `target`, leads out of the place, or may.
///
/// Judged by the words alone, with both kinds of slash taken as such. `..` after a name counts as going up
/// from that name, so a target that goes up at most as many steps as it went down stays inside.
pub fn leads_out(link: &RelativePath, target: &[u8]) -> bool {
    let is_slash = |b: &u8| matches!(b, b'/' | b'\\');
    let is_absolute = target.first().is_none_or(is_slash) || target.contains(&b':') || target.contains(&0);
    if is_absolute {
        return true;
    }
    let mut depth = link.steps().count().saturating_sub(1);
    for step in target.split(is_slash) {
        match step {
            b"" | b"." => {}
            b".." if depth == 0 => return true,
            b".." => depth -= 1,
            _ => depth += 1,
        }
    }
    false
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn only_links_that_stay_inside_their_place_are_made() {
        let link = RelativePath::from_bytes(b"Kites/2011/latest").unwrap();
        for inside in ["plan.txt", "../2010", "../../Kites", "./a/../b", "..\\2010"] {
            assert!(!leads_out(&link, inside.as_bytes()), "{inside}");
        }
        for outside in
            ["../../../x", "/etc", "C:\\Windows", "\\\\server\\share", "..\\..\\..", "", "a/../../../.."]
        {
            assert!(leads_out(&link, outside.as_bytes()), "{outside}");
        }
    }
}
