//! `porter survey --choose`: the tree on the terminal, key by key.

use crate::failure::Failure;
use crate::stop::STOP;
use crate::views;
use crate::views::survey::Room;
use porter_core::packing::Tree;
use porter_core::packing::tree::{Spot, StandsFor};
use porter_core::survey::Survey;
use porter_kinds::catalogue::Catalogue;
use porter_kinds::choice::Unchosen;
use porter_machine::Machine;
use ratatui::crossterm::event::{self, Event, KeyCode, KeyEventKind, KeyModifiers};
use std::io::{self, IsTerminal};
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::Duration;

/// True if somebody sits at a terminal.
pub(super) fn is_possible() -> bool {
    std::io::stdin().is_terminal() && std::io::stdout().is_terminal()
}

/// Ends the program when it is asked to stop: a terminal that was closed sends no more keys, and would be
/// asked for them for ever. Nothing was written yet.
fn end_when_told(over: Arc<AtomicBool>) {
    std::thread::spawn(move || {
        while !over.load(Ordering::Relaxed) {
            if STOP.load(Ordering::Relaxed) {
                let _ = ratatui::try_restore();
                std::process::exit(1);
            }
            std::thread::sleep(Duration::from_millis(200));
        }
    });
}

/// The purpose that keys are asked for.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Asks {
    Nothing,
    ForText,
    ForHelp,
}

/// The rows that a screen of this height shows, less one, so that a row stays in sight.
fn page_of(height: usize) -> usize {
    height.saturating_sub(views::choose::ROWS_AROUND + 1).max(1)
}

/// Shows the next row with a text in it, and says which of the shown rows that is.
fn found(tree: &mut Tree, text: &str, after: &Spot) -> Option<usize> {
    let spot = tree.find(text, after)?;
    tree.open_above(&spot);
    tree.shown().iter().position(|(shown, _)| *shown == spot)
}

/// Lets a person tick. True if they took the choice over; it is then in the survey and in what is left out.
pub(super) fn choose(
    machine: &Machine,
    catalogue: &Catalogue,
    survey: &mut Survey,
    unchosen: &mut Unchosen,
    room: Option<&Room>,
) -> Result<bool, Failure> {
    let mut tree = Tree::of(survey);
    let failed = |cause: io::Error| {
        Failure::new(format!("the terminal: {cause}"), "Write the list with --list FILE and edit it.")
    };
    let mut terminal = ratatui::try_init().map_err(failed)?;
    let over = Arc::new(AtomicBool::new(false));
    end_when_told(Arc::clone(&over));
    let mut at = 0;
    let (mut asks, mut sought, mut largest_first) = (Asks::Nothing, String::new(), false);
    let taken = loop {
        let rows = tree.shown();
        at = at.min(rows.len().saturating_sub(1));
        let spot = rows.get(at).map(|(spot, _)| spot.clone()).unwrap_or_default();
        let page = views::choose::Page {
            machine: &machine.name,
            survey,
            rows: &rows,
            at,
            total: tree.total(),
            room,
            largest_first,
            over: match &asks {
                Asks::Nothing => views::choose::Over::Nothing,
                Asks::ForText => views::choose::Over::Search(&sought),
                Asks::ForHelp => views::choose::Over::Help,
            },
        };
        let drawn = terminal.draw(|frame| views::choose::draw(frame, &page));
        let height = match drawn {
            Ok(frame) => usize::from(frame.area.height),
            Err(cause) => break Err(failed(cause)),
        };
        let key = match event::read() {
            Ok(Event::Key(key)) if key.kind != KeyEventKind::Release => key,
            Ok(_) => continue,
            Err(cause) => break Err(failed(cause)),
        };
        if asks == Asks::ForHelp {
            asks = Asks::Nothing;
            continue;
        }
        if asks == Asks::ForText {
            match key.code {
                KeyCode::Char('c') if key.modifiers.contains(KeyModifiers::CONTROL) => break Ok(false),
                KeyCode::Enter => asks = Asks::Nothing,
                KeyCode::Esc => {
                    sought.clear();
                    asks = Asks::Nothing;
                }
                KeyCode::Backspace => drop(sought.pop()),
                KeyCode::Char(letter) => sought.push(letter),
                _ => {}
            }
            // It goes there with each letter, so that nobody types more than is needed.
            if !sought.is_empty() && !matches!(key.code, KeyCode::Enter) {
                at = found(&mut tree, &sought, &Vec::new()).unwrap_or(at);
            }
            continue;
        }
        match key.code {
            KeyCode::Char('c') if key.modifiers.contains(KeyModifiers::CONTROL) => break Ok(false),
            KeyCode::Char('q') | KeyCode::Esc => break Ok(false),
            KeyCode::Char('s') => break Ok(true),
            KeyCode::Char('?' | 'h') => asks = Asks::ForHelp,
            KeyCode::Char('/') => {
                sought.clear();
                asks = Asks::ForText;
            }
            KeyCode::Char('n') if !sought.is_empty() => {
                at = found(&mut tree, &sought, &spot).unwrap_or(at);
            }
            KeyCode::Char('o') => {
                let numbers = tree.numbers(&spot);
                largest_first = !largest_first;
                tree.order(largest_first);
                at = tree.shown().iter().position(|(spot, _)| tree.numbers(spot) == numbers).unwrap_or(0);
            }
            KeyCode::Up => at = at.saturating_sub(1),
            KeyCode::Down => at += 1,
            KeyCode::PageUp => at = at.saturating_sub(page_of(height)),
            KeyCode::PageDown => at += page_of(height),
            KeyCode::Home => at = 0,
            KeyCode::End => at = usize::MAX,
            KeyCode::Char(' ') => tree.toggle(&spot),
            KeyCode::Right | KeyCode::Enter => {
                let is_item = tree.at(&spot).is_some_and(|row| matches!(row.stands_for, StandsFor::Item(_)));
                if is_item {
                    tree.look_into(&spot, machine, catalogue, survey, unchosen);
                    tree.order(largest_first);
                }
                if let Some(row) = tree.at(&spot) {
                    row.is_open = !row.below.is_empty();
                }
            }
            KeyCode::Left => {
                let is_open = tree.at(&spot).is_some_and(|row| row.is_open);
                if is_open {
                    if let Some(row) = tree.at(&spot) {
                        row.is_open = false;
                    }
                } else if spot.len() > 1 {
                    let above = spot[..spot.len() - 1].to_vec();
                    at = tree.shown().iter().position(|(spot, _)| *spot == above).unwrap_or(at);
                }
            }
            _ => {}
        }
    };
    over.store(true, Ordering::Relaxed);
    ratatui::restore();
    if let Ok(true) = taken {
        tree.apply(survey, unchosen);
    }
    taken
}
