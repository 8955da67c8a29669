//! The picture on the desktop.

use super::own::{Own, TEXT, text_value};
use super::personal_setting::PersonalSetting;
use super::tell::{Spi, Tell};
use crate::registry::KeyValues;
use crate::setting::{Setting, is_local_file};
use porter_names::Facts;

const DESKTOP: &str = "Control Panel\\Desktop";
const CACHE: &str = "TranscodedImageCache";

/// See the module.
pub(super) struct Wallpaper;

/// The picture's path in what Windows keeps of the copy that it shows: 0x7ac3, 1, then its size, its measures
/// and its time, and from byte 24 its path in UTF-16.
fn source_of(cache: &[u8]) -> Option<String> {
    const PATH_AT: usize = 24;
    let path = cache.get(PATH_AT..).filter(|_| cache.starts_with(&[0x7a, 0xc3, 1, 0]))?;
    let units = path.as_chunks::<2>().0.iter().map(|pair| u16::from_le_bytes(*pair));
    let units: Vec<u16> = units.take_while(|unit| *unit != 0).collect();
    String::from_utf16(&units).ok().filter(|path| !path.is_empty())
}

impl PersonalSetting for Wallpaper {
    fn id(&self) -> &'static str {
        "wallpaper"
    }

    fn read(&self, own: &Own<'_>) -> Vec<Setting> {
        let shown = own.text(DESKTOP, "Wallpaper").filter(|path| !path.is_empty());
        let is_copy = |path: &str| path.to_ascii_lowercase().contains("transcodedwallpaper");
        let source = shown.clone().filter(|path| is_copy(path));
        let source = source.and_then(|_| source_of(&own.bytes(DESKTOP, CACHE)?));
        let file = source.or(shown).filter(|path| !path.to_ascii_lowercase().contains("\\windows\\web\\"));
        let chosen = file.is_some();
        let fact = |name: &str| own.text(DESKTOP, name).filter(|_| chosen);
        let facts = [("file", file), ("style", fact("WallpaperStyle")), ("tiled", fact("TileWallpaper"))];
        own.setting(self.id(), "Picture on the desktop", &facts).into_iter().collect()
    }

    fn values(&self, facts: &Facts, _: &Own<'_>) -> Vec<KeyValues> {
        let Some(file) = facts.get("file").filter(|file| is_local_file(file)) else { return Vec::new() };
        let mut values: Vec<_> = [("style", "WallpaperStyle"), ("tiled", "TileWallpaper")]
            .iter()
            .filter_map(|(fact, name)| Some(text_value(name, TEXT, facts.get(*fact)?)))
            .collect();
        values.push(text_value("Wallpaper", TEXT, file));
        vec![KeyValues { key: DESKTOP.to_owned(), values }]
    }

    fn keys(&self) -> Vec<&'static str> {
        vec![DESKTOP]
    }

    fn tells(&self, key: &str, name: &str) -> Tell {
        let is_it = key.eq_ignore_ascii_case(DESKTOP) && name.eq_ignore_ascii_case("Wallpaper");
        if is_it { Tell::Spi(Spi::Wallpaper) } else { Tell::Nothing }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_picture_behind_the_copy_that_is_shown_is_found() {
        let mut cache = vec![0x7a, 0xc3, 1, 0];
        cache.resize(24, 0);
        cache.extend("C:\\Kites\\sea.jpg\0rest".encode_utf16().flat_map(u16::to_le_bytes));
        assert_eq!(source_of(&cache).as_deref(), Some("C:\\Kites\\sea.jpg"));
        assert_eq!(source_of(&cache[..24]), None);
        assert_eq!(source_of(&cache[1..]), None);
        assert_eq!(source_of(b""), None);
    }
}
