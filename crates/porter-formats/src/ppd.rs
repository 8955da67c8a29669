//! Descriptions of printers: the options that were chosen, and the programs that are needed (PostScript
//! Printer Description File Format 4.3, with the filters that CUPS adds).
//!
//! Such a file is text in one of many encodings; all that is read here is ASCII in all of them.

/// The options that a person can choose, with the choice that is in force: `PageSize`, `A4`.
pub fn choices(file: &[u8]) -> Vec<(String, String)> {
    let mut options: Vec<String> = Vec::new();
    let mut chosen: Vec<(String, String)> = Vec::new();
    for line in lines(file) {
        if let Some(option) = line.strip_prefix("*OpenUI *") {
            let name = option.split([':', '/', ' ']).next().unwrap_or_default();
            options.push(name.to_owned());
        } else if let Some((name, value)) =
            line.strip_prefix("*Default").and_then(|rest| rest.split_once(':'))
        {
            let value = value.split('/').next().unwrap_or_default().trim();
            if !chosen.iter().any(|(known, _)| known == name) {
                chosen.push((name.to_owned(), value.to_owned()));
            }
        }
    }
    chosen.retain(|(name, value)| options.contains(name) && !value.is_empty());
    chosen
}

/// The name of the model.
pub fn model(file: &[u8]) -> Option<String> {
    ["*NickName:", "*ModelName:"].iter().find_map(|key| {
        let value = lines(file).into_iter().find_map(|line| line.strip_prefix(key).map(str::to_owned))?;
        Some(value.trim().trim_matches('"').to_owned()).filter(|name| !name.is_empty())
    })
}

/// The programs that turn documents into what the printer takes, by name or path.
pub fn filters(file: &[u8]) -> Vec<String> {
    let filter = |line: String| {
        let rest = line.strip_prefix("*cupsFilter2:").or_else(|| line.strip_prefix("*cupsFilter:"))?;
        let last = rest.trim().trim_matches('"').split_whitespace().last()?.to_owned();
        // A lone hyphen is no program: the printer takes such documents itself.
        (last != "-").then_some(last)
    };
    lines(file).into_iter().filter_map(filter).collect()
}

/// True for a file that begins as they all do.
pub fn is_one(file: &[u8]) -> bool {
    file.starts_with(b"*PPD-Adobe:")
}

fn lines(file: &[u8]) -> Vec<String> {
    let lines = file.split(|byte| matches!(byte, b'\n' | b'\r')).filter(|line| line.starts_with(b"*"));
    lines.map(|line| String::from_utf8_lossy(line).trim_end().to_owned()).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn choices_and_filters_are_read() {
        let file = b"*PPD-Adobe: \"4.3\"\r\n*NickName: \"Ropewalk Laser 200\"\r\n*cupsFilter: \"application/vnd.cups-raster 0 rastertokite\"\r\n\
            *cupsFilter2: \"application/pdf application/pdf 0 -\"\n*OpenUI *PageSize/Media Size: PickOne\n*DefaultPageSize: A4/A4\n\
            *PageSize A4/A4: \"x\"\n*CloseUI: *PageSize\n*OpenUI *Duplex: PickOne\n*DefaultDuplex: DuplexNoTumble\n\
            *DefaultFont: Courier\n*DefaultDuplex: None\n";
        assert!(is_one(file) && !is_one(b"%!PS"));
        assert_eq!(model(file).as_deref(), Some("Ropewalk Laser 200"));
        assert_eq!(filters(file), ["rastertokite"]);
        let expected = [("PageSize", "A4"), ("Duplex", "DuplexNoTumble")];
        assert_eq!(choices(file), expected.map(|(name, value)| (name.to_owned(), value.to_owned())));
        assert!(choices(b"*DefaultX").is_empty() && filters(b"*cupsFilter:").is_empty());
    }
}
