//! Times and sizes, as people type them.

use porter_trunk::packed_form::PACK_SIZES_IN_BYTES;
use time::Duration;

/// `90d`, `12w`, `6m`, `2y`.
pub(crate) fn time(typed: &str) -> Result<Duration, String> {
    let typed = typed.trim().to_lowercase();
    let (number, unit) = typed.split_at(typed.trim_end_matches(|c: char| !c.is_ascii_digit()).len());
    let days = match unit.trim() {
        "d" | "day" | "days" => 1,
        "w" | "week" | "weeks" => 7,
        "m" | "month" | "months" => 30,
        "y" | "year" | "years" => 365,
        _ => return Err("a number and d, w, m or y for days, weeks, months or years, such as 90d".to_owned()),
    };
    let number: i64 =
        number.parse().map_err(|_| "a whole number of days, weeks, months or years".to_owned())?;
    Some(number)
        .filter(|number| *number < 100_000)
        .map(|number| Duration::days(number * days))
        .ok_or("too long".to_owned())
}

/// `700MB`, `4 GB`, `1.5TB`: powers of ten, as drives are sold, or `4GiB`.
pub(crate) fn size_in_bytes(typed: &str) -> Result<u64, String> {
    let typed = typed.trim().to_lowercase();
    let number = typed.trim_end_matches(|c: char| !c.is_ascii_digit());
    let unit = typed.get(number.len()..).unwrap_or_default().trim();
    let factor: f64 = match unit {
        "" | "b" => 1.0,
        "k" | "kb" => 1e3,
        "m" | "mb" => 1e6,
        "g" | "gb" => 1e9,
        "t" | "tb" => 1e12,
        "kib" => 1024.0,
        "mib" => 1_048_576.0,
        "gib" => 1_073_741_824.0,
        _ => return Err("a number and kB, MB, GB or TB, such as 700MB".to_owned()),
    };
    let number: f64 =
        number.parse().map_err(|_| "a number and kB, MB, GB or TB, such as 700MB".to_owned())?;
    if number < 0.0 {
        return Err("not less than nothing".to_owned());
    }
    Ok((number * factor) as u64)
}

/// The size of a trunk's files.
pub(crate) fn pack_size(typed: &str) -> Result<u64, String> {
    let size_in_bytes = size_in_bytes(typed)?;
    if PACK_SIZES_IN_BYTES.contains(&size_in_bytes) {
        Ok(size_in_bytes)
    } else {
        Err("from 16MiB to 3.9GiB: FAT holds no larger files".to_owned())
    }
}

/// `5%`, `2.5 %`: a share of up to a half.
pub(crate) fn percent(typed: &str) -> Result<f64, String> {
    let number: f64 =
        typed.trim().trim_end_matches('%').trim().parse().map_err(|_| "a share, such as 5%".to_owned())?;
    if number > 0.0 && number <= 50.0 { Ok(number) } else { Err("more than 0% and at most 50%".to_owned()) }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn times_and_sizes_are_taken_as_they_are_written() {
        assert_eq!(time("90d"), Ok(Duration::days(90)));
        assert_eq!(time(" 2 Years "), Ok(Duration::days(730)));
        assert!(time("90").is_err() && time("d").is_err() && time("99999999999d").is_err());
        assert_eq!(size_in_bytes("1.5 GB"), Ok(1_500_000_000));
        assert_eq!(size_in_bytes("4GiB"), Ok(4 << 30));
        assert_eq!(size_in_bytes("12"), Ok(12));
        assert_eq!(percent("2.5 %"), Ok(2.5));
        assert!(percent("0").is_err() && percent("51%").is_err() && percent("NaN").is_err());
        assert!(size_in_bytes("large").is_err() && size_in_bytes("4 gigs").is_err());
    }
}
