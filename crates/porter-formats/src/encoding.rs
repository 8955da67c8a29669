//! Bytes that are text, in the encodings that Windows' programs write.

/// UTF-16 without a mark. Half a letter at the end is passed by.
pub fn utf16(bytes: &[u8]) -> String {
    let units: Vec<u16> = bytes.chunks_exact(2).map(|pair| u16::from_le_bytes([pair[0], pair[1]])).collect();
    String::from_utf16_lossy(&units)
}

/// UTF-16 with its mark, or else UTF-8.
pub fn by_mark(file: &[u8]) -> String {
    match file {
        [0xff, 0xfe, rest @ ..] => utf16(rest),
        [0xef, 0xbb, 0xbf, rest @ ..] => String::from_utf8_lossy(rest).into_owned(),
        file => String::from_utf8_lossy(file).into_owned(),
    }
}

/// The code page of Western systems. Text of another one is read as far as its letters are the same.
pub fn western(bytes: &[u8]) -> String {
    bytes.iter().map(|byte| char::from(*byte)).collect()
}

/// The name of a code page of Windows, as letters and pages write it; none for one that has none.
pub fn charset_of(code_page: u32) -> Option<&'static str> {
    encoding_of(code_page).map(encoding_rs::Encoding::name)
}

/// The code page of letters of that name; none if Windows has no number for them.
pub fn code_page_of(charset: &str) -> Option<u32> {
    let wanted = encoding_rs::Encoding::for_label(charset.as_bytes())?;
    let known = [65_001, 874, 932, 936, 949, 950, 866, 10_000, 20_866, 21_866, 51_932, 50_220, 54_936];
    let mut all = known.into_iter().chain(1250..=1258).chain(28_591..=28_606);
    all.find(|code_page| encoding_of(*code_page) == Some(wanted))
}

/// Text of a code page of Windows; of Western systems, if it is not known.
pub fn of_code_page(bytes: &[u8], code_page: u32) -> String {
    match encoding_of(code_page) {
        Some(encoding) => encoding.decode_without_bom_handling(bytes).0.into_owned(),
        None => encoding_rs::WINDOWS_1252.decode_without_bom_handling(bytes).0.into_owned(),
    }
}

fn encoding_of(code_page: u32) -> Option<&'static encoding_rs::Encoding> {
    let label = match code_page {
        65_001 => "utf-8",
        // Letters of seven bits are the same in it.
        20_127 => "windows-1252",
        874 => "windows-874",
        932 => "shift_jis",
        936 | 20_936 => "gbk",
        949 => "euc-kr",
        950 => "big5",
        866 => "ibm866",
        10_000 => "macintosh",
        20_866 => "koi8-r",
        21_866 => "koi8-u",
        51_932 => "euc-jp",
        50_220..=50_222 => "iso-2022-jp",
        54_936 => "gb18030",
        1250..=1258 => return encoding_rs::Encoding::for_label(format!("windows-{code_page}").as_bytes()),
        28_591..=28_606 => {
            return encoding_rs::Encoding::for_label(format!("iso-8859-{}", code_page - 28_590).as_bytes());
        }
        _ => return None,
    };
    encoding_rs::Encoding::for_label(label.as_bytes())
}
