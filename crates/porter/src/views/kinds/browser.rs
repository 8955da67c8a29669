//! The words about browsers' profiles: their contents, and the parts that do not come across.

use crate::failure::Failure;
use crate::views::kind::KindWords;
use crate::views::numbers::{counted, number_of, size};
use crate::views::task::Task;
use porter_core::restore::Plan;
use porter_core::survey::ItemSurvey;
use porter_kinds::not_taken::NotTaken;
use porter_kinds::receipt::{ItemReceipt, Reason, Receipt};
use porter_names::screen::on_screen;
use serde_json::{Value, json};

/// See the module.
pub(super) struct Browsers;

impl KindWords for Browsers {
    fn kind(&self) -> &'static str {
        "browser"
    }

    fn heading(&self) -> &'static str {
        "Browsers"
    }

    fn told(&self, row: &ItemSurvey) -> Vec<String> {
        told(row)
    }

    fn tasks(&self, item: &ItemReceipt, receipt: &Receipt) -> Vec<Task> {
        let steps = steps(item, receipt);
        let task = Task { how: steps.join(" "), ..Task::about(item) };
        (!steps.is_empty()).then_some(task).into_iter().collect()
    }

    fn tells_what_is_kept(&self, _: &ItemReceipt) -> bool {
        true
    }

    fn in_receipt(&self, receipt: &Receipt) -> Option<(&'static str, Value)> {
        let own = receipt.items.iter().filter(|item| item.kind == self.kind());
        let rows = own.map(|item| (item, steps(item, receipt))).filter(|(_, steps)| !steps.is_empty());
        let rows: Vec<Value> = rows.map(|(item, steps)| json!({"item": item.id, "steps": steps})).collect();
        Some(("browsers_by_hand", json!(rows)))
    }

    fn in_plan(&self, plan: &Plan) -> Option<(&'static str, Value)> {
        Some(("open_browsers", json!(plan.changes.close_first().collect::<Vec<_>>())))
    }
}

impl From<NotTaken> for Failure {
    fn from(error: NotTaken) -> Self {
        match error {
            NotTaken::Trunk(cause) => cause.into(),
            NotTaken::NotOfItem(_) => Self::wrong_use(
                error.to_string(),
                "`porter take -h` says which items offer which form, and `porter look TRUNK` shows the items, such as odile/browser/firefox/default.",
            ),
            NotTaken::Format(_) | NotTaken::Io(_) => Self::new(
                error.to_string(),
                "Take the profile itself, and look for the browser's own backups in it.",
            ),
        }
    }
}

/// The contents of a profile and its peculiarities: lines below its row in a survey.
fn told(row: &ItemSurvey) -> Vec<String> {
    let item = &row.item;
    if item.counts.is_empty() {
        return Vec::new();
    }
    let fact = |name: &str| item.facts.get(name).map(|value| on_screen(value.as_bytes()));
    let mut held: Vec<String> = item
        .counts
        .iter()
        .filter(|(_, number)| *number > 0)
        .map(|(name, number)| number_of(*number, name))
        .collect();
    if held.is_empty() {
        held.push("nothing that a person would miss".to_owned());
    }
    let mut line = held.join(", ");
    if let Some(names) = fact("extensions") {
        line.push_str(&format!(" ({names})"));
    }
    let mut rest = Vec::new();
    rest.extend(fact("default").map(|_| "default profile".to_owned()));
    rest.extend(fact("version").map(|version| format!("version {version}")));
    rest.extend(fact("last-used").map(|at| format!("last used {at}")));
    if row.to_leave.size_in_bytes > 0 {
        rest.push(format!("{} of caches stay", size(row.to_leave.size_in_bytes)));
    }
    let passwords = fact("passwords");
    rest.extend(passwords.iter().filter(|code| *code == "travel").map(|_| "passwords come along".to_owned()));
    if !rest.is_empty() {
        line.push_str("; ");
        line.push_str(&rest.join(", "));
    }
    let stay = passwords.filter(|code| code != "travel").map(|code| passwords_beforehand(&code));
    std::iter::once(line).chain(stay).collect()
}

/// Whether passwords and cookies will open on another machine, and why.
fn passwords_beforehand(code: &str) -> String {
    match code {
        "key-missing" => "the passwords cannot be opened any more: their key (key4.db) is not there",
        "bound-to-windows" => {
            "passwords and cookies are bound to this Windows account: export them here, or turn on sync, before it goes"
        }
        "bound-to-keychain" => {
            "passwords and cookies are bound to the Mac's keychain: export them there, or turn on sync"
        }
        "bound-to-keyring" => {
            "passwords and cookies are bound to the old desktop's keyring: export them there, or turn on sync"
        }
        "behind-primary-password" => {
            "the passwords come along, and open only with the primary password that somebody set: ask for it"
        }
        "same-on-linux" => "passwords and cookies open on another Linux, and on no other system",
        _ => "passwords: not known whether they open elsewhere",
    }
    .to_owned()
}

/// A profile that was not chosen needs nothing.
fn is_left_out(item: &ItemReceipt) -> bool {
    let on_purpose = |reason: &Reason| matches!(reason, Reason::NotChosenAtCapture | Reason::NotChosenNow);
    item.findings.iter().any(|finding| on_purpose(&finding.reason))
}

fn steps(item: &ItemReceipt, receipt: &Receipt) -> Vec<String> {
    if is_left_out(item) {
        return Vec::new();
    }
    let to = receipt.machine.as_ref().map(|machine| machine.system.family.as_str()).unwrap_or_default();
    let mut steps = Vec::new();
    let number = item.counts.iter().find(|row| row.name == "passwords").map_or(0, |row| row.captured);
    let passwords = counted(number, "saved password");
    // Cookies are bound in the same way as passwords; this serves profiles that hold only cookies.
    let bound = |how: &str, rescue: &str| {
        if number == 0 {
            format!("Sign-ins {how}: sign in to the sites again.")
        } else {
            format!(
                "{passwords} {how}: export them there and import them here, {rescue}; sign in to the sites again."
            )
        }
    };
    const TYPE: &str = "or type them again";
    match item.facts.get("passwords").map(String::as_str) {
        Some("bound-to-windows") => steps
            .push(bound("stayed bound to the old Windows account", "or turn on sync, or type them again")),
        Some("bound-to-keychain") => steps.push(bound("stayed in the keychain of the old Mac", TYPE)),
        Some("bound-to-keyring") => steps.push(bound("open only with the keyring of the old desktop", TYPE)),
        Some("same-on-linux") if to != "linux" => {
            steps.push(bound("open on no other system than Linux", TYPE));
        }
        Some("behind-primary-password") if number > 0 => {
            steps.push(format!("{passwords} came along, and open only with the primary password that was set in the old browser: ask for it."));
        }
        Some("key-missing") if number > 0 => {
            steps.push(format!(
                "{passwords} cannot be opened any more: their key was not on the old machine either."
            ));
        }
        _ => {}
    }
    let entered = item.findings.iter().find_map(|finding| match &finding.reason {
        Reason::Entered { name } => Some(name),
        _ => None,
    });
    if let (Some(name), true) = (entered, item.facts.contains_key("default")) {
        steps.push(format!(
            "It opened by default on the old machine, and another profile does here: choose \u{201c}{}\u{201d} in the browser's list of profiles, or restore again with --restored-profiles-open.",
            on_screen(name.as_bytes())
        ));
    }
    if item.findings.iter().any(|finding| matches!(finding.reason, Reason::NoSuchProgram { .. })) {
        steps.push(format!(
            "{} is not on this system: take its bookmarks out with `porter take TRUNK {} FILE.html --as bookmarks`, or add them to a browser here with `porter restore \u{2026} --bookmarks-into BROWSER`.",
            on_screen(item.title.as_bytes()),
            crate::paths::quoted_id(&item.id)
        ));
    }
    if let Some(signed) = item.facts.get("signed").filter(|_| to != "linux") {
        steps.push(format!(
            "The browser may reset what it had signed for the old machine: {}. Look at it, and set it again.",
            on_screen(signed.as_bytes())
        ));
    }
    steps
}
