//! The running CUPS, over its own socket: HTTP (RFC 9112) with one request to a connection.

use super::queue::Queue;
use super::requests::{self, Make};
use porter_formats::ipp::Message;
use porter_formats::ppd;
use std::io::{self, Read, Write};
use std::os::unix::net::UnixStream;
use std::path::{Path, PathBuf};
use std::time::{Duration, Instant};

/// Where systems put the socket.
const SOCKETS: [&str; 2] = ["/run/cups/cups.sock", "/var/run/cups/cups.sock"];
/// An answer that takes longer does not come.
const LONGEST_WAIT: Duration = Duration::from_secs(30);
/// No list of printers is longer.
const LONGEST_ANSWER_IN_BYTES: u64 = 64 << 20;
/// CUPS asks a printer what it can, in the background.
const UNTIL_DRIVERLESS: Duration = Duration::from_secs(25);
/// Status of an answer: there is none.
const NOT_FOUND: u16 = 0x0406;
/// Statuses below this one are well.
const FIRST_ERROR: u16 = 0x0400;

/// A print system that runs.
#[derive(Debug, Clone)]
pub struct Server {
    socket: PathBuf,
    as_user: String,
    until_driverless: Duration,
}

impl Server {
    /// The one of this machine; none if none runs. `CUPS_SERVER` may name another socket, as for CUPS' own
    /// programs.
    pub fn here() -> Option<Self> {
        let named = std::env::var_os("CUPS_SERVER").map(PathBuf::from).filter(|path| path.is_absolute());
        let sockets = named.into_iter().chain(SOCKETS.map(PathBuf::from));
        let answering = sockets.into_iter().find(|path| UnixStream::connect(path).is_ok())?;
        Some(Self::at(answering, UNTIL_DRIVERLESS))
    }

    /// The one behind a socket. A printer has so much time to say what it can.
    pub fn at(socket: PathBuf, until_driverless: Duration) -> Self {
        Self { socket, as_user: own_name(), until_driverless }
    }

    /// All queues and classes, without their options, and without which is the usual one.
    fn list(&self) -> io::Result<Vec<Queue>> {
        let answer = match self.ask(&requests::list(&self.as_user), b"") {
            Ok((answer, _)) => answer,
            // An empty list is an error to CUPS.
            Err(cause) if cause.kind() == io::ErrorKind::NotFound => return Ok(Vec::new()),
            Err(cause) => return Err(cause),
        };
        Ok(requests::queues_in(&answer))
    }

    /// All queues and classes.
    pub fn queues(&self) -> io::Result<Vec<Queue>> {
        let usual = self.usual()?;
        let whole = |queue: Queue| {
            let is_usual = usual.as_ref() == Some(&queue.name);
            Queue { is_usual, ..self.with_options(queue) }
        };
        Ok(self.list()?.into_iter().map(whole).collect())
    }

    fn with_options(&self, mut queue: Queue) -> Queue {
        if let Some(file) = self.description(&queue.name).filter(|_| queue.members.is_empty()) {
            queue.options = ppd::choices(&file);
        }
        queue
    }

    /// One queue or class; none if there is none of that name.
    pub fn queue(&self, name: &str) -> io::Result<Option<Queue>> {
        let found = self.list()?.into_iter().find(|queue| queue.name.eq_ignore_ascii_case(name));
        Ok(found.map(|queue| self.with_options(queue)))
    }

    /// The description of a queue; none if it has none.
    pub fn description(&self, queue: &str) -> Option<Vec<u8>> {
        let (_, file) =
            self.ask(&requests::about(requests::GET_PPD, queue, false, &self.as_user), b"").ok()?;
        Some(file).filter(|file| ppd::is_one(file))
    }

    /// The name of the usual printer; none if there is none.
    pub fn usual(&self) -> io::Result<Option<String>> {
        match self.ask(&requests::usual(&self.as_user), b"") {
            Ok((answer, _)) => Ok(requests::queues_in(&answer).into_iter().next().map(|queue| queue.name)),
            Err(cause) if cause.kind() == io::ErrorKind::NotFound => Ok(None),
            Err(cause) => Err(cause),
        }
    }

    /// Makes a queue or class, or changes it, and asks whether it is as it should be. One that CUPS made
    /// otherwise, and was not there before, is deleted again.
    pub fn set(&self, queue: &Queue, make: &Make) -> io::Result<()> {
        let was_there = self.queue(&queue.name)?.is_some();
        let document: &[u8] = if let Make::Described(file) = make { file } else { b"" };
        self.ask(&requests::set(queue, make, &self.as_user), document)?;
        let proved = self.prove(queue, make);
        if proved.is_err() && !was_there {
            let _ = self.delete(&queue.name);
        }
        proved
    }

    fn prove(&self, queue: &Queue, make: &Make) -> io::Result<()> {
        let began = Instant::now();
        loop {
            let now = self.queue(&queue.name)?.ok_or_else(|| io::Error::other("it is not there"))?;
            let has_driver = match make {
                _ if !queue.members.is_empty() => true,
                Make::Raw => now.is_raw(),
                Make::Driverless => now.is_driverless(),
                Make::Described(_) => !now.is_raw(),
            };
            if has_driver {
                let is_it = now.is_same(&Queue { options: Vec::new(), ..queue.clone() });
                return if is_it { Ok(()) } else { Err(io::Error::other("CUPS made it otherwise")) };
            }
            if *make != Make::Driverless || began.elapsed() > self.until_driverless {
                let why = if *make == Make::Driverless {
                    "the printer does not answer"
                } else {
                    "CUPS did not take the driver"
                };
                return Err(io::Error::other(why));
            }
            std::thread::sleep(Duration::from_millis(300));
        }
    }

    /// Deletes a queue or class.
    pub fn delete(&self, name: &str) -> io::Result<()> {
        let Some(queue) = self.queue(name)? else { return Ok(()) };
        let is_class = !queue.members.is_empty();
        let operation = if is_class { requests::DELETE_CLASS } else { requests::DELETE_PRINTER };
        self.ask(&requests::about(operation, &queue.name, is_class, &self.as_user), b"").map(drop)
    }

    /// Makes a queue the usual one.
    pub fn make_usual(&self, name: &str) -> io::Result<()> {
        let is_class = self.queue(name)?.is_some_and(|queue| !queue.members.is_empty());
        self.ask(&requests::about(requests::SET_DEFAULT, name, is_class, &self.as_user), b"").map(drop)
    }

    /// Prints a text on a queue.
    pub fn print(&self, name: &str, title: &str, text: &str) -> io::Result<()> {
        let queue = self.queue(name)?.ok_or(io::ErrorKind::NotFound)?;
        self.ask(&requests::print_text(&queue, title, &self.as_user), text.as_bytes()).map(drop)
    }

    /// Sends a request with its document; returns the answer, and the document behind it.
    fn ask(&self, message: &Message, document: &[u8]) -> io::Result<(Message, Vec<u8>)> {
        let mut body = message.to_bytes().map_err(io::Error::other)?;
        body.extend_from_slice(document);
        // A socket that is gone is not an empty list of printers.
        let mut stream = UnixStream::connect(&self.socket).map_err(io::Error::other)?;
        stream.set_read_timeout(Some(LONGEST_WAIT))?;
        stream.set_write_timeout(Some(LONGEST_WAIT))?;
        // The system tells CUPS who asks; the name has to be that one's.
        write!(
            stream,
            "POST /admin/ HTTP/1.1\r\nHost: localhost\r\nContent-Type: application/ipp\r\nContent-Length: {}\r\n\
             Authorization: PeerCred {}\r\nConnection: close\r\n\r\n",
            body.len(),
            self.as_user
        )?;
        stream.write_all(&body)?;
        let mut answer = Vec::new();
        stream.take(LONGEST_ANSWER_IN_BYTES).read_to_end(&mut answer)?;
        let body = http_body(&answer)?;
        let (answer, document) = Message::from_bytes(&body).map_err(io::Error::other)?;
        if answer.code < FIRST_ERROR {
            return Ok((answer, document.to_vec()));
        }
        let said =
            answer.groups.first().and_then(|group| group.text("status-message")).unwrap_or("no reason");
        let kind = if answer.code == NOT_FOUND { io::ErrorKind::NotFound } else { io::ErrorKind::Other };
        Err(io::Error::new(kind, format!("CUPS refuses: {said} ({:#06x})", answer.code)))
    }
}

/// The body of an answer, whole or in chunks; interim answers before it are passed over.
fn http_body(answer: &[u8]) -> io::Result<Vec<u8>> {
    let broken = || io::Error::new(io::ErrorKind::InvalidData, "the answer is no HTTP");
    let mut body = answer;
    let (head, status) = loop {
        let end = body.windows(4).position(|window| window == b"\r\n\r\n").ok_or_else(broken)?;
        let head = String::from_utf8_lossy(&body[..end]);
        body = &body[end + 4..];
        let status = head.split("\r\n").next().and_then(|line| line.split(' ').nth(1)?.parse::<u16>().ok());
        match status.ok_or_else(broken)? {
            100..200 => {}
            status => break (head, status),
        }
    };
    let mut lines = head.split("\r\n");
    match status {
        200 => {}
        401 | 403 => {
            let why = "CUPS lets only root, and members of its administrators' group, change printers";
            return Err(io::Error::new(io::ErrorKind::PermissionDenied, why));
        }
        other => return Err(io::Error::other(format!("CUPS answers with HTTP status {other}"))),
    }
    let is_chunked = lines.any(|line| {
        line.split_once(':').is_some_and(|(name, value)| {
            name.eq_ignore_ascii_case("transfer-encoding") && value.trim().eq_ignore_ascii_case("chunked")
        })
    });
    if !is_chunked {
        return Ok(body.to_vec());
    }
    let (mut whole, mut rest) = (Vec::new(), body);
    loop {
        let end = rest.windows(2).position(|window| window == b"\r\n").ok_or_else(broken)?;
        let size = String::from_utf8_lossy(&rest[..end]);
        let size = usize::from_str_radix(size.split(';').next().unwrap_or_default().trim(), 16)
            .map_err(|_| broken())?;
        rest = &rest[end + 2..];
        if size == 0 {
            return Ok(whole);
        }
        let (chunk, more) = rest.split_at_checked(size).ok_or_else(broken)?;
        whole.extend_from_slice(chunk);
        rest = more.strip_prefix(b"\r\n").ok_or_else(broken)?;
    }
}

/// The name of the person we run as, as the system has it.
fn own_name() -> String {
    let id = rustix::process::geteuid().as_raw().to_string();
    let people = std::fs::read_to_string(Path::new("/etc/passwd")).unwrap_or_default();
    let is_own = |line: &&str| line.split(':').nth(2) == Some(id.as_str());
    let line = people.lines().find(is_own).and_then(|line| line.split(':').next());
    line.unwrap_or("root").to_owned()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn answers_are_read_whole_and_in_chunks() {
        let whole = b"HTTP/1.1 100 Continue\r\n\r\nHTTP/1.1 200 OK\r\nContent-Length: 3\r\n\r\nabc";
        assert_eq!(http_body(whole).unwrap(), b"abc");
        let chunks =
            b"HTTP/1.1 200 OK\r\nTransfer-Encoding: chunked\r\n\r\n2;x=1\r\nab\r\n1\r\nc\r\n0\r\n\r\n";
        assert_eq!(http_body(chunks).unwrap(), b"abc");
        for end in 0..chunks.len() - 5 {
            assert!(http_body(&chunks[..end]).is_err(), "{end}");
        }
        let refused = http_body(b"HTTP/1.1 401 Unauthorized\r\n\r\n").unwrap_err();
        assert_eq!(refused.kind(), io::ErrorKind::PermissionDenied);
    }
}
