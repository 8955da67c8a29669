//! The tree to tick, as it is drawn.

use super::numbers::{count, size};
use super::survey::{Room, needed_in_bytes};
use porter_core::packing::tree::{Node, Spot, StandsFor, Ticked};
use porter_names::screen::on_screen;
use porter_trunk::Tally;
use ratatui::Frame;
use ratatui::layout::{Constraint, Layout};
use ratatui::style::{Modifier, Style, Stylize};
use ratatui::text::{Line, Span};
use ratatui::widgets::{List, ListItem, ListState, Paragraph};
use unicode_width::UnicodeWidthStr;

/// What is drawn.
pub(crate) struct Page<'p> {
    pub(crate) machine: &'p str,
    pub(crate) rows: &'p [(Spot, &'p Node)],
    /// The row that the keys are for.
    pub(crate) at: usize,
    pub(crate) total: Tally,
    pub(crate) room: Option<&'p Room>,
}

const KEYS: &str = "Space tick   Right open   Left close   s take this choice   q leave without";

/// Draws all of it.
pub(crate) fn draw(frame: &mut Frame<'_>, page: &Page<'_>) {
    let parts = [Constraint::Length(2), Constraint::Min(1), Constraint::Length(4)];
    let [head, body, foot] = Layout::vertical(parts).areas(frame.area());
    let title = format!("What is carried from {}", on_screen(page.machine.as_bytes()));
    frame.render_widget(Paragraph::new(Line::from(title.bold())), head);

    let width = usize::from(body.width);
    let items = page.rows.iter().map(|(spot, node)| ListItem::new(row(spot, node, width)));
    let mut state = ListState::default().with_selected(Some(page.at));
    let list = List::new(items).highlight_style(Style::new().add_modifier(Modifier::REVERSED));
    frame.render_stateful_widget(list, body, &mut state);

    let mut lines = vec![Line::from("-".repeat(width)), total(page)];
    lines.push(room(page));
    lines.push(Line::from(KEYS.dim()));
    frame.render_widget(Paragraph::new(lines), foot);
}

fn row(spot: &Spot, node: &Node, width: usize) -> Line<'static> {
    let tick = match node.is_ticked() {
        Ticked::Whole => "[x]",
        Ticked::Partly => "[-]",
        Ticked::Not => "[ ]",
    };
    let may_open =
        !node.below.is_empty() || (matches!(node.stands_for, StandsFor::Item(_)) && node.tally.folders > 0);
    let mark = match (node.is_open, may_open) {
        (true, true) => "-",
        (false, true) => "+",
        (_, false) => " ",
    };
    let left = format!(
        "{}{mark} {tick} {}",
        "   ".repeat(spot.len().saturating_sub(1)),
        on_screen(node.title.as_bytes())
    );
    let chosen = node.chosen();
    let right = if chosen.files == 0 && node.tally.files == 0 && node.below.is_empty() {
        "read as values".to_owned()
    } else {
        format!("{:>9} files  {:>10}", count(chosen.files), size(chosen.size_in_bytes))
    };
    let gap = width.saturating_sub(left.width() + right.width() + 1).max(1);
    let line = Line::from(vec![Span::raw(left), Span::raw(" ".repeat(gap)), Span::raw(right)]);
    let is_person = matches!(node.stands_for, StandsFor::Person(_));
    match node.is_ticked() {
        Ticked::Not => line.style(Style::new().dim()),
        _ if is_person => line.style(Style::new().bold()),
        _ => line,
    }
}

fn total(page: &Page<'_>) -> Line<'static> {
    let total = page.total;
    Line::from(format!("To carry: {} in {} files", size(total.size_in_bytes), count(total.files))).bold()
}

fn room(page: &Page<'_>) -> Line<'static> {
    let needed = needed_in_bytes(page.total);
    match page.room {
        None => Line::from(format!(
            "The trunk takes up to {}. --for TRUNK_FOLDER compares that with the room there.",
            size(needed)
        )),
        Some(room) if needed > room.free_in_bytes => Line::from(
            format!(
                "! It does not fit: up to {} are needed, {} are free, {} too much.",
                size(needed),
                size(room.free_in_bytes),
                size(needed - room.free_in_bytes)
            )
            .bold()
            .magenta(),
        ),
        Some(room) => Line::from(format!(
            "It fits: up to {} are needed, {} are free.",
            size(needed),
            size(room.free_in_bytes)
        )),
    }
}
