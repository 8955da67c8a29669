//! The tree to tick, as it is drawn.

use super::kinds::words_of;
use super::numbers::{counted, date, size};
use super::survey::{Room, needed_in_bytes};
use super::words;
use crate::screen::CARE_COLOUR;
use porter_core::packing::tree::{Node, Spot, StandsFor, Ticked};
use porter_core::survey::Survey;
use porter_names::screen::on_screen;
use porter_trunk::Tally;
use ratatui::Frame;
use ratatui::layout::{Constraint, Layout};
use ratatui::style::{Color, Modifier, Style, Stylize};
use ratatui::text::{Line, Span};
use ratatui::widgets::{List, ListItem, ListState, Paragraph};
use unicode_width::UnicodeWidthStr;

/// The values that are drawn.
pub(crate) struct Page<'p> {
    pub(crate) machine: &'p str,
    pub(crate) survey: &'p Survey,
    pub(crate) rows: &'p [(Spot, &'p Node)],
    /// The row that the keys are for.
    pub(crate) at: usize,
    pub(crate) total: Tally,
    pub(crate) room: Option<&'p Room>,
    pub(crate) largest_first: bool,
    pub(crate) over: Over<'p>,
}

/// The lines above the tree or below it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Over<'p> {
    Nothing,
    /// A text that is being typed.
    Search(&'p str),
    Help,
}

/// Head and foot.
pub(crate) const ROWS_AROUND: usize = 6;

const WIDEST: usize = 110;
const CARE: Color = Color::Rgb(CARE_COLOUR.0, CARE_COLOUR.1, CARE_COLOUR.2);
const KEYS: &str = "Space tick   Right open   Left close   / search   ? help   s take   q leave";
const HELP: [(&str, &str); 12] = [
    ("Space", "tick, or take the tick away"),
    ("Right, Enter", "open"),
    ("Left", "close, or go to the row above"),
    ("Up, Down", "the row before, the next row"),
    ("Page Up, Page Down", "a screen back, a screen on"),
    ("Home, End", "the first row, the last row"),
    ("/", "search as you type; Enter ends it"),
    ("n", "the next row that fits"),
    ("o", "the largest first, or in the usual order"),
    ("s", "take this choice"),
    ("q, Esc", "leave without"),
    ("?", "this help; any key closes it"),
];

/// Draws all of it.
pub(crate) fn draw(frame: &mut Frame<'_>, page: &Page<'_>) {
    let parts = [Constraint::Length(2), Constraint::Min(1), Constraint::Length(4)];
    let [head, body, foot] = Layout::vertical(parts).areas(frame.area());
    let order = if page.largest_first { "  (largest first)" } else { "" };
    let title = format!("What is carried from {}{order}", on_screen(page.machine.as_bytes()));
    frame.render_widget(Paragraph::new(Line::from(title.bold())), head);

    // Numbers too far from their names are hard to read.
    let width = usize::from(body.width).min(WIDEST);
    let items = page.rows.iter().map(|(spot, node)| ListItem::new(row(spot, node, page, width)));
    let mut state = ListState::default().with_selected(Some(page.at));
    if page.over == Over::Help {
        let lines: Vec<Line<'_>> =
            HELP.iter().map(|(key, what)| Line::from(format!("  {key:<20}{what}"))).collect();
        frame.render_widget(Paragraph::new(lines), body);
    } else {
        let list = List::new(items).highlight_style(Style::new().add_modifier(Modifier::REVERSED));
        frame.render_stateful_widget(list, body, &mut state);
    }

    let mut lines = vec![Line::from("-".repeat(width)), total(page)];
    lines.push(room(page));
    lines.push(match page.over {
        Over::Search(text) => Line::from(format!("/{}_", on_screen(text.as_bytes())).bold()),
        _ => Line::from(KEYS.dim()),
    });
    frame.render_widget(Paragraph::new(lines), foot);
}

fn row(spot: &Spot, node: &Node, page: &Page<'_>, width: usize) -> Line<'static> {
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
    let indent = "   ".repeat(spot.len().saturating_sub(1));
    let left = format!("{indent}{mark} {tick} {}", title(node));
    let (used, marks) = remarks(node, page.survey);
    let chosen = node.chosen();
    let right = match values_in(node, page.survey) {
        0 => format!("{:>13}  {:>9}", counted(chosen.files, "file"), size(chosen.size_in_bytes)),
        number => format!("{} read", counted(number, "value")),
    };
    let gap = width.saturating_sub(left.width() + used.width() + marks.width() + right.width() + 1).max(1);
    let parts = vec![
        Span::raw(left),
        Span::raw(used),
        Span::raw(marks).fg(CARE),
        Span::raw(" ".repeat(gap)),
        Span::raw(right),
    ];
    let line = Line::from(parts);
    let is_person = matches!(node.stands_for, StandsFor::Person(_));
    match node.is_ticked() {
        Ticked::Not => line.style(Style::new().dim()),
        _ if is_person => line.style(Style::new().bold()),
        _ => line,
    }
}

/// Kinds by the word that people use for many of them.
fn title(node: &Node) -> String {
    let word = match (&node.stands_for, node.title.as_str()) {
        (StandsFor::Kind, kind) => match words_of(kind) {
            Some(words) => words.heading(),
            None => kind,
        },
        (_, title) => title,
    };
    on_screen(word.as_bytes())
}

/// When a person was last there, and what to beware of.
fn remarks(node: &Node, survey: &Survey) -> (String, String) {
    let (used, cautions) = match &node.stands_for {
        StandsFor::Person(Some(id)) => match survey.accounts.iter().find(|row| row.id == *id) {
            Some(row) => (row.last_used_utc.map(|at| format!("  last used {}", date(at))), &row.cautions),
            None => return Default::default(),
        },
        StandsFor::Item(at) => match survey.items.get(*at) {
            Some(row) => (None, &row.cautions),
            None => return Default::default(),
        },
        StandsFor::Person(None) | StandsFor::Kind | StandsFor::Folder(_) => return Default::default(),
    };
    let marks = words::marks(cautions);
    let marks = if marks.is_empty() { marks } else { format!("  ! {marks}") };
    (used.unwrap_or_default(), marks)
}

/// How many values are read, of settings and printers.
fn values_in(node: &Node, survey: &Survey) -> u64 {
    match &node.stands_for {
        StandsFor::Item(at) => survey
            .items
            .get(*at)
            .map_or(0, |row| if row.item.is_setting() { row.item.facts.len() as u64 } else { 0 }),
        StandsFor::Kind => node.below.iter().map(|row| values_in(row, survey)).sum(),
        StandsFor::Person(_) | StandsFor::Folder(_) => 0,
    }
}

fn total(page: &Page<'_>) -> Line<'static> {
    let total = page.total;
    Line::from(format!("To carry: {} in {}", size(total.size_in_bytes), counted(total.files, "file"))).bold()
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
            .fg(CARE),
        ),
        Some(room) => Line::from(format!(
            "It fits: up to {} are needed, {} are free.",
            size(needed),
            size(room.free_in_bytes)
        )),
    }
}

#[cfg(test)]
#[allow(clippy::unwrap_used, reason = "a test that cannot go on fails")]
mod tests {
    use super::*;
    use porter_core::events::{Conduct, Event};
    use porter_core::packing::Tree;
    use porter_core::survey::survey;
    use porter_kinds::catalogue::Catalogue;
    use porter_kinds::choice::Selection;
    use porter_kinds::choice::Unchosen;
    use porter_machine::recognise;
    use porter_source::HostFolder;
    use ratatui::Terminal;
    use ratatui::backend::TestBackend;
    use std::sync::Arc;
    use std::sync::atomic::AtomicBool;

    /// The lines of a screen of 64 columns.
    fn screen(page: &Page<'_>) -> Vec<String> {
        let mut terminal = Terminal::new(TestBackend::new(64, 14)).unwrap();
        terminal.draw(|frame| draw(frame, page)).unwrap();
        let buffer = terminal.backend().buffer().clone();
        let row = |y| (0..64).map(|x| buffer[(x, y)].symbol()).collect::<String>().trim_end().to_owned();
        (0..14).map(row).filter(|row| !row.is_empty()).collect()
    }

    #[test]
    fn the_tree_tells_what_is_ticked_how_much_it_is_and_whether_it_fits() {
        let folder = tempfile::tempdir().unwrap();
        for (path, length) in [
            ("Windows/System32/a.dll", 1),
            ("Users/odile/NTUSER.DAT", 1),
            ("Users/odile/Documents/Kites/2026/plan.txt", 3000),
            ("Users/odile/Documents/Letters/a.txt", 500),
        ] {
            let path = folder.path().join(path);
            std::fs::create_dir_all(path.parent().unwrap()).unwrap();
            std::fs::write(path, vec![b'x'; length]).unwrap();
        }
        let volume = HostFolder::open(folder.path()).unwrap();
        let machine = recognise(Arc::new(volume), "LOFT-PC".to_owned()).unwrap();
        let kinds = Catalogue::built_in(machine.layout.family).unwrap().into();
        let conduct = Conduct { events: &|_: &Event<'_>| {}, stop: &AtomicBool::new(false) };
        let (all, nothing) = (Selection::default(), Unchosen::default());
        let mut survey = survey(&machine, &kinds, &all, &nothing, conduct).unwrap();
        survey.accounts[0].last_used_utc = Some(time::macros::datetime!(2026-10-30 16:42 UTC));
        let mut tree = Tree::of(&survey);
        let documents = vec![0, 0, 0];
        tree.at(&vec![0, 0]).unwrap().is_open = true;
        tree.look_into(&documents, &machine, &kinds, &survey, &nothing);
        tree.at(&documents).unwrap().is_open = true;
        tree.toggle(&vec![0, 0, 0, 0]);
        let rows = tree.shown();
        let small = Room { free_in_bytes: 1000, largest_file_in_bytes: None, bytes_per_second: None };
        let page = |room| Page {
            machine: "LOFT-PC",
            survey: &survey,
            rows: &rows,
            at: 2,
            total: tree.total(),
            room,
            largest_first: false,
            over: Over::Nothing,
        };
        let shown = screen(&page(None));
        assert_eq!(
            shown[..6],
            [
                "What is carried from LOFT-PC",
                "- [-] odile  last used 2026-10-30            2 files      501 B",
                "   - [-] Folders                             2 files      501 B",
                "      - [-] Documents                         1 file      500 B",
                "         + [ ] Kites                         0 files        0 B",
                "           [x] Letters                        1 file      500 B",
            ]
        );
        assert!(shown[10].starts_with("To carry: 501 B in 2 files"), "{shown:#?}");
        let full = screen(&page(Some(&small)));
        assert!(full[11].starts_with("! It does not fit: up to"), "{full:#?}");
    }
}
