//! How an installation is named in `installs.ini` and in the `[Install…]` sections of `profiles.ini`:
//! CityHash64 of the folder that the program is in, as UTF-16. (Mozilla's `nsXREDirProvider::GetInstallHash`;
//! the hash is CityHash 1.0's, published by Google under the MIT licence.)

/// The name of the installation in a folder, such as `C:\Program Files\Mozilla Firefox`.
pub fn install_hash(folder: &str) -> String {
    let utf16: Vec<u8> = folder.encode_utf16().flat_map(u16::to_le_bytes).collect();
    format!("{:X}", city_hash_64(&utf16))
}

const K0: u64 = 0xc3a5_c85c_97cb_3127;
const K1: u64 = 0xb492_b66f_be98_f273;
const K2: u64 = 0x9ae1_6a3b_2f90_404f;
const K3: u64 = 0xc949_d7c7_509e_6557;

fn fetch64(s: &[u8], at: usize) -> u64 {
    let bytes = s.get(at..at + 8).and_then(|bytes| bytes.try_into().ok());
    u64::from_le_bytes(bytes.unwrap_or_default())
}

fn fetch32(s: &[u8], at: usize) -> u64 {
    let bytes = s.get(at..at + 4).and_then(|bytes| bytes.try_into().ok());
    u64::from(u32::from_le_bytes(bytes.unwrap_or_default()))
}

fn shift_mix(value: u64) -> u64 {
    value ^ (value >> 47)
}

fn hash_len_16(u: u64, v: u64) -> u64 {
    const MUL: u64 = 0x9ddf_ea08_eb38_2d69;
    let a = shift_mix((u ^ v).wrapping_mul(MUL));
    shift_mix((v ^ a).wrapping_mul(MUL)).wrapping_mul(MUL)
}

fn up_to_16(s: &[u8]) -> u64 {
    let length = s.len() as u64;
    if s.len() > 8 {
        let (a, b) = (fetch64(s, 0), fetch64(s, s.len() - 8));
        return hash_len_16(a, b.wrapping_add(length).rotate_right(s.len() as u32)) ^ b;
    }
    if s.len() >= 4 {
        return hash_len_16(length + (fetch32(s, 0) << 3), fetch32(s, s.len() - 4));
    }
    let (Some(first), Some(middle), Some(last)) = (s.first(), s.get(s.len() >> 1), s.last()) else {
        return K2;
    };
    let y = u64::from(*first) + (u64::from(*middle) << 8);
    let z = length + (u64::from(*last) << 2);
    shift_mix(y.wrapping_mul(K2) ^ z.wrapping_mul(K3)).wrapping_mul(K2)
}

fn from_17_to_32(s: &[u8]) -> u64 {
    let a = fetch64(s, 0).wrapping_mul(K1);
    let b = fetch64(s, 8);
    let c = fetch64(s, s.len() - 8).wrapping_mul(K2);
    let d = fetch64(s, s.len() - 16).wrapping_mul(K0);
    hash_len_16(
        a.wrapping_sub(b).rotate_right(43).wrapping_add(c.rotate_right(30)).wrapping_add(d),
        a.wrapping_add((b ^ K3).rotate_right(20)).wrapping_sub(c).wrapping_add(s.len() as u64),
    )
}

fn weak_hash_32(s: &[u8], at: usize, a: u64, b: u64) -> (u64, u64) {
    let (w, x, y, z) = (fetch64(s, at), fetch64(s, at + 8), fetch64(s, at + 16), fetch64(s, at + 24));
    let a = a.wrapping_add(w);
    let b = b.wrapping_add(a).wrapping_add(z).rotate_right(21);
    let c = a;
    let a = a.wrapping_add(x).wrapping_add(y);
    let b = b.wrapping_add(a.rotate_right(44));
    (a.wrapping_add(z), b.wrapping_add(c))
}

fn from_33_to_64(s: &[u8]) -> u64 {
    let length = s.len();
    let mut z = fetch64(s, 24);
    let mut a =
        fetch64(s, 0).wrapping_add((length as u64).wrapping_add(fetch64(s, length - 16)).wrapping_mul(K0));
    let mut b = a.wrapping_add(z).rotate_right(52);
    let mut c = a.rotate_right(37);
    a = a.wrapping_add(fetch64(s, 8));
    c = c.wrapping_add(a.rotate_right(7));
    a = a.wrapping_add(fetch64(s, 16));
    let vf = a.wrapping_add(z);
    let vs = b.wrapping_add(a.rotate_right(31)).wrapping_add(c);
    a = fetch64(s, 16).wrapping_add(fetch64(s, length - 32));
    z = fetch64(s, length - 8);
    b = a.wrapping_add(z).rotate_right(52);
    c = a.rotate_right(37);
    a = a.wrapping_add(fetch64(s, length - 24));
    c = c.wrapping_add(a.rotate_right(7));
    a = a.wrapping_add(fetch64(s, length - 16));
    let wf = a.wrapping_add(z);
    let ws = b.wrapping_add(a.rotate_right(31)).wrapping_add(c);
    let r =
        shift_mix(vf.wrapping_add(ws).wrapping_mul(K2).wrapping_add(wf.wrapping_add(vs).wrapping_mul(K0)));
    shift_mix(r.wrapping_mul(K0).wrapping_add(vs)).wrapping_mul(K2)
}

fn city_hash_64(s: &[u8]) -> u64 {
    match s.len() {
        0..=16 => return up_to_16(s),
        17..=32 => return from_17_to_32(s),
        33..=64 => return from_33_to_64(s),
        _ => {}
    }
    let length = s.len();
    let mut x = fetch64(s, 0);
    let mut y = fetch64(s, length - 16) ^ K1;
    let mut z = fetch64(s, length - 56) ^ K0;
    let mut v = weak_hash_32(s, length - 64, length as u64, y);
    let mut w = weak_hash_32(s, length - 32, (length as u64).wrapping_mul(K1), K0);
    z = z.wrapping_add(shift_mix(v.1).wrapping_mul(K1));
    x = z.wrapping_add(x).rotate_right(39).wrapping_mul(K1);
    y = y.rotate_right(33).wrapping_mul(K1);
    for at in (0..(length - 1) & !63).step_by(64) {
        x = x
            .wrapping_add(y)
            .wrapping_add(v.0)
            .wrapping_add(fetch64(s, at + 16))
            .rotate_right(37)
            .wrapping_mul(K1);
        y = y.wrapping_add(v.1).wrapping_add(fetch64(s, at + 48)).rotate_right(42).wrapping_mul(K1);
        x ^= w.1;
        y ^= v.0;
        z = (z ^ w.0).rotate_right(33);
        v = weak_hash_32(s, at, v.1.wrapping_mul(K1), x.wrapping_add(w.0));
        w = weak_hash_32(s, at + 32, z.wrapping_add(w.1), y);
        std::mem::swap(&mut z, &mut x);
    }
    hash_len_16(
        hash_len_16(v.0, w.0).wrapping_add(shift_mix(y).wrapping_mul(K1)).wrapping_add(z),
        hash_len_16(v.1, w.1).wrapping_add(x),
    )
}

#[cfg(test)]
mod tests {
    use super::install_hash;

    #[test]
    fn installations_are_named_as_the_browser_names_them() {
        // The first are from Firefox itself, in its usual folder and in Debian's; the others are from the
        // Python package `clickhouse-cityhash` 1.0.2, one for each length that the hash treats in its own
        // way.
        for (folder, name) in [
            ("/", "2349085C622C3043"),
            ("/o", "45AC9D7EDF22F955"),
            ("/ff", "58CBCE2E855E074D"),
            ("/opt", "1D4F33E9252B4D40"),
            ("/opt/ff", "2FD3CDE7BD77FF3E"),
            ("/opt/firefox", "6AFDA46A1A8AD48"),
            ("/usr/lib/firefox", "4F96D1932A9F858E"),
            ("/usr/lib/firefox-esr", "3B6073811A6ABF12"),
            ("C:\\Program Files\\Mozilla Firefox", "308046B0AF4A39CB"),
            ("/snap/firefox/current/usr/lib/firefox", "174EDC698F909AE0"),
            ("/home/odile/Programs for the loft, the workshop and the kites/firefox", "937954072042EDAF"),
        ] {
            assert_eq!(install_hash(folder), name, "{folder}");
        }
    }
}
