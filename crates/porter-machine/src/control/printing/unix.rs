//! CUPS, by its own protocol.

use super::{MAKE, PPD, fact, letters_of};
use crate::cups::queue::Queue;
use crate::cups::requests::Make;
use crate::cups::server::Server;
use porter_names::Facts;
use std::io;

fn server() -> io::Result<Server> {
    Server::here().ok_or_else(|| io::Error::other("no print system runs here"))
}

pub(super) fn read_queue(name: &str) -> io::Result<Option<Facts>> {
    let server = server()?;
    let Some(queue) = server.queue(name)? else { return Ok(None) };
    let mut facts = queue.facts();
    let description = server.description(&queue.name);
    let make = match &description {
        _ if queue.is_driverless() => "driverless",
        Some(_) => "described",
        None => "raw",
    };
    facts.insert(MAKE.to_owned(), make.to_owned());
    facts.extend(description.map(|file| (PPD.to_owned(), letters_of(&file))));
    Ok(Some(facts))
}

pub(super) fn set_queue(becomes: &Facts) -> io::Result<()> {
    let wrong = |what: &str| io::Error::new(io::ErrorKind::InvalidData, format!("`{what}` cannot be read"));
    let queue = Queue::from_facts(becomes).ok_or_else(|| wrong("name"))?;
    let make = match becomes.get(MAKE).map(String::as_str) {
        Some("driverless") => Make::Driverless,
        Some("described") => {
            let letters = becomes.get(PPD).ok_or_else(|| wrong(PPD))?;
            let bytes: Option<Vec<u8>> = letters.chars().map(|letter| u8::try_from(letter).ok()).collect();
            Make::Described(bytes.ok_or_else(|| wrong(PPD))?)
        }
        _ => Make::Raw,
    };
    server()?.set(&queue, &make)
}

pub(super) fn remove_queue(made: &Facts) -> io::Result<()> {
    server()?.delete(fact(made, "name")?)
}

pub(super) fn print_text(queue: &str, title: &str, text: &str) -> io::Result<()> {
    server()?.print(queue, title, text)
}

pub(super) fn drivers() -> Vec<String> {
    Vec::new()
}

pub(super) fn ports() -> Vec<String> {
    Vec::new()
}

pub(super) fn is_same_queue(one: &Facts, other: &Facts) -> bool {
    match (Queue::from_facts(one), Queue::from_facts(other)) {
        (Some(one), Some(other)) => one.is_same(&other),
        _ => false,
    }
}

pub(super) fn usual() -> io::Result<Option<String>> {
    server()?.usual()
}

pub(super) fn make_usual(name: &str) -> io::Result<()> {
    server()?.make_usual(name)
}
