//! A port of a Windows print system that is a printer on the network: `PORT_DATA_1` of its *Standard TCP/IP
//! Port*, by Microsoft's header `tcpxcv.h`.

use porter_names::Facts;

/// Length of the structure.
pub const LENGTH_IN_BYTES: usize = 964;
/// Longest texts, in UTF-16 units with the NUL.
const NAME_UNITS: usize = 64;
const HOST_UNITS: usize = 49;
const QUEUE_UNITS: usize = 33;

/// See the module.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct TcpPort {
    /// Its name in the print system.
    pub name: String,
    /// The printer's name or address.
    pub host: String,
    /// Set for LPR: the queue on the printer.
    pub lpr_queue: Option<String>,
    /// The number of the TCP port.
    pub number: u32,
}

impl TcpPort {
    /// The port of a printer with these facts; none without an address, or with one that it cannot have.
    pub fn of(facts: &Facts) -> Option<Self> {
        let text = |name: &str| facts.get(name).map(String::as_str);
        let address = text("address")?;
        let named = text("port").map(str::to_owned);
        let (lpr_queue, host, number) = match address.split_once("://") {
            // As CUPS writes it.
            Some((scheme, rest)) => {
                let (host, path) = rest.split_once('/').unwrap_or((rest, ""));
                let (host, number) = match host.rsplit_once(':') {
                    Some((host, number)) => (host, number.parse().ok()),
                    None => (host, None),
                };
                match scheme {
                    "socket" => (None, host, number),
                    "lpd" => (Some(path.to_owned()), host, number),
                    _ => return None,
                }
            }
            None => {
                let is_lpr = text("protocol") == Some("lpr");
                let queue = is_lpr.then(|| text("queue").unwrap_or_default().to_owned());
                (queue, address, text("port-number").and_then(|number| number.parse().ok()))
            }
        };
        let is_host =
            !host.is_empty() && host.chars().all(|c| c.is_ascii_alphanumeric() || "-._".contains(c));
        let usual = if lpr_queue.is_some() { 515 } else { 9100 };
        is_host.then(|| Self {
            name: named.unwrap_or_else(|| format!("IP_{host}")),
            host: host.to_owned(),
            lpr_queue,
            number: number.unwrap_or(usual),
        })
    }

    /// The structure; none if a text is longer than it holds.
    pub fn to_bytes(&self) -> Option<[u8; LENGTH_IN_BYTES]> {
        const VERSION: u32 = 1;
        const RAW: u32 = 1;
        const LPR: u32 = 2;
        let mut bytes = [0; LENGTH_IN_BYTES];
        let mut put_text = |at: usize, units: usize, text: &str| {
            let encoded: Vec<u16> = text.encode_utf16().collect();
            let to = bytes.get_mut(at..at + 2 * units).filter(|_| encoded.len() < units)?;
            encoded.iter().enumerate().for_each(|(at, unit)| {
                to[2 * at..2 * at + 2].copy_from_slice(&unit.to_le_bytes());
            });
            Some(())
        };
        put_text(0, NAME_UNITS, &self.name)?;
        put_text(144, HOST_UNITS, &self.host)?;
        put_text(312, QUEUE_UNITS, self.lpr_queue.as_deref().unwrap_or_default())?;
        let mut put = |at: usize, number: u32| bytes[at..at + 4].copy_from_slice(&number.to_le_bytes());
        put(128, VERSION);
        put(132, if self.lpr_queue.is_some() { LPR } else { RAW });
        put(136, LENGTH_IN_BYTES as u32);
        // LPR tells the length of a job beforehand, which the print system has to count.
        put(308, u32::from(self.lpr_queue.is_some()));
        put(952, self.number);
        Some(bytes)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn facts(rows: &[(&str, &str)]) -> Facts {
        rows.iter().map(|(name, value)| ((*name).to_owned(), (*value).to_owned())).collect()
    }

    #[test]
    fn a_port_is_the_structure_that_windows_takes() {
        let desk = TcpPort::of(&facts(&[("address", "192.0.2.20"), ("port", "IP_192.0.2.20")])).unwrap();
        let bytes = desk.to_bytes().unwrap();
        let number = |at: usize| u32::from_le_bytes(*bytes[at..].first_chunk().unwrap());
        assert_eq!([number(128), number(132), number(136), number(952)], [1, 1, 964, 9100]);
        assert_eq!((bytes[0], bytes[144], bytes[146]), (b'I', b'1', b'9'));
        let plans = facts(&[("address", "lpd://plotter.example/plans")]);
        let plans = TcpPort::of(&plans).unwrap();
        assert_eq!((plans.name.as_str(), plans.number), ("IP_plotter.example", 515));
        let bytes = plans.to_bytes().unwrap();
        assert_eq!((bytes[132], bytes[308], bytes[312]), (2, 1, b'p'));
        assert_eq!(TcpPort { name: "x".repeat(64), ..plans.clone() }.to_bytes(), None);
        assert!(TcpPort { name: "x".repeat(63), ..plans }.to_bytes().is_some());
        for none in ["ipp://192.0.2.20/ipp", "a b", "", "socket://"] {
            assert_eq!(TcpPort::of(&facts(&[("address", none)])), None, "{none}");
        }
    }
}
