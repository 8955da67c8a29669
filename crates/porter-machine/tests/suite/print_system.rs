//! A print system that says yes and does otherwise. (A real one stands in `.ci/printers`.)
#![allow(clippy::unwrap_used, reason = "a test that cannot go on fails")]

use porter_formats::ipp::{About, Attribute, Group, Message, TextKind, Value};
use porter_machine::cups::queue::{Queue, RAW};
use porter_machine::cups::requests::{
    DELETE_PRINTER, GET_DEFAULT, GET_PPD, GET_PRINTERS, Make, SET_DEFAULT, SET_PRINTER,
};
use porter_machine::cups::server::Server;
use std::collections::BTreeMap;
use std::io::{self, Read, Write};
use std::os::unix::net::{UnixListener, UnixStream};
use std::sync::{Arc, Mutex};
use std::time::Duration;

const PPD: &[u8] = b"*PPD-Adobe: \"4.3\"\n*NickName: \"Ropewalk Laser 200\"\n*OpenUI *Duplex: PickOne\n*DefaultDuplex: None\n";

/// The behaviour of a print system.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Mood {
    /// It does what it is asked for.
    Honest,
    /// It takes a driver, and makes a queue without one: so does a real one when the printer is away.
    ForgetsDrivers,
    /// It takes an address, and keeps another one.
    MovesPrinters,
    /// It lets nobody change anything.
    Shut,
    /// It ends in the middle of an answer.
    CutsOff,
}

#[derive(Default)]
struct State {
    queues: BTreeMap<String, (Vec<Attribute>, Vec<u8>)>,
    usual: Option<String>,
}

fn words(name: &str, text: &str) -> Attribute {
    Attribute::texts(name, TextKind::Name, [text])
}

/// Its answer: a status, the groups, and a document.
fn answer(mood: Mood, state: &mut State, asked: &Message, document: &[u8]) -> (u16, Vec<Group>, Vec<u8>) {
    let uri = asked.groups[0].text("printer-uri").unwrap_or_default();
    let name = uri.rsplit('/').next().unwrap_or_default().to_owned();
    let about = |attributes: Vec<Attribute>| Group { about: About::Printer, attributes };
    match asked.code {
        GET_PRINTERS if state.queues.is_empty() => (0x0406, Vec::new(), Vec::new()),
        GET_PRINTERS => {
            (0, state.queues.values().map(|(queue, _)| about(queue.clone())).collect(), Vec::new())
        }
        GET_DEFAULT => match &state.usual {
            Some(usual) => (0, vec![about(vec![words("printer-name", usual)])], Vec::new()),
            None => (0x0406, Vec::new(), Vec::new()),
        },
        GET_PPD => match state.queues.get(&name) {
            Some((_, ppd)) if !ppd.is_empty() => (0, Vec::new(), ppd.clone()),
            _ => (0x0406, Vec::new(), Vec::new()),
        },
        SET_PRINTER => {
            let mut queue = asked.groups[1].attributes.clone();
            let model =
                match queue.iter().find(|known| known.name == "ppd-name").map(|known| &known.values[0]) {
                    _ if mood == Mood::ForgetsDrivers => RAW,
                    Some(Value::Text(_, name)) if name == "everywhere" => "Ropewalk - IPP Everywhere",
                    Some(_) => RAW,
                    None => "Ropewalk Laser 200",
                };
            if mood == Mood::MovesPrinters {
                queue.retain(|known| known.name != "device-uri");
                queue.push(Attribute::texts("device-uri", TextKind::Uri, ["socket://192.0.2.99"]));
            }
            queue.extend([words("printer-name", &name), words("printer-make-and-model", model)]);
            let ppd = if model == RAW { Vec::new() } else { document.to_vec() };
            state.queues.insert(name, (queue, ppd));
            (0, Vec::new(), Vec::new())
        }
        DELETE_PRINTER => {
            (if state.queues.remove(&name).is_some() { 0 } else { 0x0406 }, Vec::new(), Vec::new())
        }
        SET_DEFAULT => {
            state.usual = Some(name);
            (0, Vec::new(), Vec::new())
        }
        _ => (0x0501, Vec::new(), Vec::new()),
    }
}

fn serve(mut stream: UnixStream, mood: Mood, state: &Mutex<State>) -> Option<()> {
    let mut bytes = Vec::new();
    let body = loop {
        let mut piece = [0; 4096];
        let read = stream.read(&mut piece).ok().filter(|read| *read > 0)?;
        bytes.extend_from_slice(&piece[..read]);
        let Some(end) = bytes.windows(4).position(|window| window == b"\r\n\r\n") else { continue };
        let head = String::from_utf8_lossy(&bytes[..end]).into_owned();
        assert!(head.contains("Authorization: PeerCred "), "{head}");
        let length = head.lines().find_map(|line| line.strip_prefix("Content-Length: ")).unwrap();
        let length: usize = length.parse().unwrap();
        if bytes.len() >= end + 4 + length {
            break bytes[end + 4..].to_vec();
        }
    };
    let (asked, document) = Message::from_bytes(&body).unwrap();
    if mood == Mood::Shut && ![GET_PRINTERS, GET_DEFAULT, GET_PPD].contains(&asked.code) {
        stream.write_all(b"HTTP/1.1 401 Unauthorized\r\nContent-Length: 0\r\n\r\n").ok()?;
        return Some(());
    }
    let (code, groups, document) = answer(mood, &mut state.lock().unwrap(), &asked, document);
    let mut first = Message::request(code, Vec::new());
    first.groups.extend(groups);
    let mut body = first.to_bytes().unwrap();
    body.extend(document);
    if mood == Mood::CutsOff {
        body.truncate(body.len() / 2);
    }
    // In chunks, as the real one often does.
    stream
        .write_all(b"HTTP/1.1 100 Continue\r\n\r\nHTTP/1.1 200 OK\r\nTransfer-Encoding: chunked\r\n\r\n")
        .ok()?;
    for chunk in body.chunks(100) {
        write!(stream, "{:x}\r\n", chunk.len()).ok()?;
        stream.write_all(chunk).ok()?;
        stream.write_all(b"\r\n").ok()?;
    }
    stream.write_all(b"0\r\n\r\n").ok()
}

/// A print system of that mood, which runs as long as the test.
fn print_system(mood: Mood) -> (tempfile::TempDir, Server, Arc<Mutex<State>>) {
    let folder = tempfile::tempdir().unwrap();
    let socket = folder.path().join("cups.sock");
    let listener = UnixListener::bind(&socket).unwrap();
    let state = Arc::new(Mutex::new(State::default()));
    let served = Arc::clone(&state);
    std::thread::spawn(move || {
        for stream in listener.incoming().flatten() {
            serve(stream, mood, &served);
        }
    });
    (folder, Server::at(socket, Duration::from_millis(400)), state)
}

fn desk() -> Queue {
    Queue {
        name: "desk".to_owned(),
        address: Some("ipp://192.0.2.20/ipp/print".to_owned()),
        location: Some("Shop".to_owned()),
        denied: vec!["bram".to_owned()],
        ..Queue::default()
    }
}

#[test]
fn a_queue_is_set_told_of_and_deleted() {
    let (_folder, server, _) = print_system(Mood::Honest);
    assert_eq!(server.queues().unwrap(), []);
    assert_eq!(server.usual().unwrap(), None);
    let queue = Queue { options: vec![("Duplex".to_owned(), "None".to_owned())], ..desk() };
    server.set(&queue, &Make::Described(PPD.to_vec())).unwrap();
    server.set(&Queue { name: "other".to_owned(), ..desk() }, &Make::Driverless).unwrap();
    server.make_usual("desk").unwrap();
    let found = server.queues().unwrap();
    assert!(found[0].is_same(&queue) && found[0].is_usual && found[0].options == queue.options, "{found:?}");
    assert!(found[1].is_driverless() && !found[1].is_usual);
    assert_eq!(server.description("desk").as_deref(), Some(PPD));
    server.delete("desk").unwrap();
    server.delete("desk").unwrap();
    assert_eq!(server.queues().unwrap().len(), 1);
}

#[test]
fn a_queue_that_came_out_otherwise_is_deleted_and_one_that_was_there_is_not() {
    for (mood, make, why) in [
        (Mood::ForgetsDrivers, Make::Driverless, "the printer does not answer"),
        (Mood::ForgetsDrivers, Make::Described(PPD.to_vec()), "CUPS did not take the driver"),
        (Mood::MovesPrinters, Make::Raw, "CUPS made it otherwise"),
    ] {
        let (_folder, server, state) = print_system(mood);
        let refused = server.set(&desk(), &make).unwrap_err().to_string();
        assert!(refused.contains(why), "{mood:?}: {refused}");
        assert!(state.lock().unwrap().queues.is_empty(), "{mood:?}");
        let there = vec![words("printer-name", "desk"), words("printer-make-and-model", "Kept")];
        state.lock().unwrap().queues.insert("desk".to_owned(), (there, Vec::new()));
        server.set(&desk(), &make).unwrap_err();
        assert!(!state.lock().unwrap().queues.is_empty(), "{mood:?}: somebody's queue was deleted");
    }
}

#[test]
fn who_may_not_is_told_and_half_an_answer_is_none() {
    let (_folder, server, state) = print_system(Mood::Shut);
    assert_eq!(server.set(&desk(), &Make::Raw).unwrap_err().kind(), io::ErrorKind::PermissionDenied);
    assert!(state.lock().unwrap().queues.is_empty());
    let (_folder, server, state) = print_system(Mood::CutsOff);
    state.lock().unwrap().queues.insert("a".to_owned(), (vec![words("printer-name", "a")], Vec::new()));
    assert!(server.queues().is_err() && server.set(&desk(), &Make::Raw).is_err());
    let nobody = Server::at("/nowhere/cups.sock".into(), Duration::ZERO);
    assert!(nobody.queues().is_err());
}
