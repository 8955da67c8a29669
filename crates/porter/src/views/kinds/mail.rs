//! The words about mail: what there is of it, the accounts, and what a person opens and types.

use crate::paths::quoted_id;
use crate::views::kind::KindWords;
use crate::views::numbers::{count, counted, number_of};
use crate::views::task::Task;
use porter_core::survey::ItemSurvey;
use porter_kinds::mail::contacts::OFFERED;
use porter_kinds::mail::data_file_facts::DataFileFacts;
use porter_kinds::mail::letters::{FOLDERS, MESSAGES, ON_A_SERVER};
use porter_kinds::mail::mail_account::{MailAccount, MailServer};
use porter_kinds::profiles::find::BESIDE;
use porter_kinds::receipt::{ItemReceipt, PASSWORDS, Reason, Receipt, Verdict};
use porter_names::screen::on_screen;
use serde_json::{Value, json};

/// The fact that every profile has.
const NAME: &str = "name";

/// See the module.
pub(super) struct Mail;

impl KindWords for Mail {
    fn kind(&self) -> &'static str {
        "mail"
    }

    fn heading(&self) -> &'static str {
        "Mail"
    }

    fn told(&self, row: &ItemSurvey) -> Vec<String> {
        let accounts = MailAccount::all_in(&row.item.facts);
        let files = DataFileFacts::all_in(&row.item.facts);
        numbers(row)
            .into_iter()
            .chain(files.iter().map(data_file))
            .chain(accounts.iter().map(in_short))
            .collect()
    }

    fn on_sheet(&self, row: &ItemSurvey) -> Vec<String> {
        let accounts = MailAccount::all_in(&row.item.facts);
        let files = DataFileFacts::all_in(&row.item.facts);
        numbers(row)
            .into_iter()
            .chain(files.iter().map(data_file))
            .chain(accounts.iter().map(in_full))
            .collect()
    }

    fn tasks(&self, item: &ItemReceipt, _receipt: &Receipt) -> Vec<Task> {
        let (steps, held) = (steps(item), held(item));
        let held = if held.is_empty() { String::new() } else { format!("{}. ", held.join(", ")) };
        let how = format!("{held}{}", steps.join(" "));
        let task = Task { how, topic: Some("Mail"), ..Task::about(item) };
        (!steps.is_empty()).then_some(task).into_iter().collect()
    }

    /// Nothing is to be done with files beside profiles.
    fn tells_what_is_kept(&self, item: &ItemReceipt) -> bool {
        item.facts.contains_key(BESIDE)
    }

    fn in_receipt(&self, receipt: &Receipt) -> Option<(&'static str, Value)> {
        let own = receipt.items.iter().filter(|item| item.kind == self.kind());
        let rows = own.map(|item| (item, steps(item), MailAccount::all_in(&item.facts)));
        let rows: Vec<Value> = rows
            .filter(|(_, steps, accounts)| !steps.is_empty() || !accounts.is_empty())
            .map(|(item, steps, accounts)| {
                let accounts: Vec<Value> = accounts.iter().map(as_json).collect();
                json!({"item": item.id, "holds": held(item), "steps": steps, "accounts": accounts})
            })
            .collect();
        Some(("mail_by_hand", json!(rows)))
    }
}

fn numbers(row: &ItemSurvey) -> Option<String> {
    let numbers = row.item.counts.iter().filter(|(_, number)| *number > 0);
    let numbers: Vec<String> = numbers.map(|(name, number)| number_of(*number, name)).collect();
    (!numbers.is_empty()).then(|| numbers.join(", "))
}

/// `Users/tamsin/…/tamsin.pst: Unicode, 8 messages in 1 folder, last written 2026-02-10, in the profile
/// Outlook`.
fn data_file(file: &DataFileFacts) -> String {
    let layout = match file.layout.as_str() {
        "ansi" => "of Outlook 97 to 2002 (at most 2 GB)",
        "large-pages" => "Unicode in large pages",
        _ => "Unicode",
    };
    let mut words = vec![
        layout.to_owned(),
        format!("{} in {}", counted(file.messages, "message"), counted(file.folders, "folder")),
    ];
    words.extend((!file.written.is_empty()).then(|| format!("last written {}", file.written)));
    words.extend(
        (!file.opened_by.is_empty())
            .then(|| format!("in the profile {}", on_screen(file.opened_by.as_bytes()))),
    );
    format!("{}: {}", on_screen(file.path.as_bytes()), words.join(", "))
}

/// `odile@saltmarsh.example (POP3 of mail.saltmarsh.example)`.
fn in_short(account: &MailAccount) -> String {
    let MailAccount { address, protocol, incoming, .. } = account;
    let named = if address.is_empty() { &incoming.user } else { address };
    let named = on_screen(named.as_bytes());
    if incoming.host.is_empty() {
        return named;
    }
    format!(
        "{named} ({} of {})",
        on_screen(protocol.to_uppercase().as_bytes()),
        on_screen(incoming.host.as_bytes())
    )
}

/// All that is typed into another program, but for the password.
fn in_full(account: &MailAccount) -> String {
    let MailAccount { name, incoming, outgoing, stays_on_server, .. } = account;
    let mut words = vec![in_short(account)];
    if !name.is_empty() {
        words.push(format!("name {}", on_screen(name.as_bytes())));
    }
    words.extend(server("receives from", incoming));
    words.extend(server("sends through", outgoing));
    match stays_on_server.as_str() {
        "yes" => words.push("messages stay on the server".to_owned()),
        "no" => words.push("messages do not stay on the server".to_owned()),
        _ => {}
    }
    words.join(", ")
}

fn server(does: &str, server: &MailServer) -> Option<String> {
    let MailServer { host, port, encryption, user } = server;
    let shown = |text: &str| on_screen(text.as_bytes());
    let port = if port.is_empty() { String::new() } else { format!(" port {}", shown(port)) };
    let encrypted = match encryption.as_str() {
        "tls" => " with TLS",
        "starttls" => " with STARTTLS",
        "none" => " without encryption",
        _ => "",
    };
    let user = if user.is_empty() { String::new() } else { format!(" as {}", shown(user)) };
    (!host.is_empty()).then(|| format!("{does} {}{port}{encrypted}{user}", shown(host)))
}

fn as_json(account: &MailAccount) -> Value {
    let server = |server: &MailServer| {
        let MailServer { host, port, encryption, user } = server;
        json!({"host": host, "port": port, "encryption": encryption, "user": user})
    };
    json!({
        "name": account.name, "address": account.address, "protocol": account.protocol,
        "incoming": server(&account.incoming), "outgoing": server(&account.outgoing),
        "stays_on_server": account.stays_on_server,
    })
}

/// The steps that open the data files of an item.
fn to_open(item: &ItemReceipt) -> Vec<String> {
    let (mut own, mut copies) = (Vec::new(), Vec::new());
    for finding in &item.findings {
        let Reason::ToOpen { path, messages, is_copy } = &finding.reason else { continue };
        let named = path.to_lowercase().ends_with(".pst");
        let renamed = if named || *is_copy { "" } else { ", once its name ends with .pst" };
        let all = if *is_copy { &mut copies } else { &mut own };
        all.push(format!("{} ({}{renamed})", on_screen(path.as_bytes()), counted(*messages, "message")));
    }
    let mut steps = Vec::new();
    if !own.is_empty() {
        steps.push(format!("Open in Outlook by File, Open, Outlook Data File: {}.", own.join("; ")));
    }
    let opener = item.findings.iter().find_map(|finding| match &finding.reason {
        Reason::OpensAll { path } => Some(on_screen(path.as_bytes())),
        _ => None,
    });
    if let (Some(path), false) = (opener, own.is_empty()) {
        steps.push(format!(
            "Outlook 2003 to 2019 also opens all of them at once: close it, and start `outlook.exe /importprf \"{path}\"`, or restore with --open-in-outlook."
        ));
    }
    if !copies.is_empty() {
        steps.push(format!(
            "Copies of mailboxes on servers, which open in no other profile; Outlook fetches them again once their accounts are set up: {}.",
            copies.join("; ")
        ));
    }
    steps
}

/// The things that a person looks for first: `390 messages in 4 folders`, `32 contacts`.
fn held(item: &ItemReceipt) -> Vec<String> {
    let landed = |name: &str| item.counts.iter().find(|row| row.name == name).map_or(0, |row| row.landed);
    let messages = landed(MESSAGES) + landed(ON_A_SERVER);
    let letters = format!("{} in {}", counted(messages, "message"), counted(landed(FOLDERS), "folder"));
    let others = ["contacts", "events", "tasks"].into_iter().filter(|name| landed(name) > 0);
    let others = others.map(|name| number_of(landed(name), name));
    (messages > 0).then_some(letters).into_iter().chain(others).collect()
}

/// The work that an item leaves; none if its program shows all of it without a question.
fn steps(item: &ItemReceipt) -> Vec<String> {
    let on_purpose = |reason: &Reason| matches!(reason, Reason::NotChosenAtCapture | Reason::NotChosenNow);
    if item.findings.iter().any(|finding| on_purpose(&finding.reason)) {
        return Vec::new();
    }
    let accounts = MailAccount::all_in(&item.facts);
    if item.findings.iter().any(|finding| matches!(finding.reason, Reason::NoSuchProgram { .. })) {
        // Its files stay in the trunk; another program can have the accounts.
        return accounts
            .iter()
            .map(|account| format!("Type into the new program: {}.", in_full(account)))
            .collect();
    }
    let mut steps = to_open(item);
    let offered = item.counts.iter().find(|row| row.name == OFFERED).map_or(0, |row| row.landed);
    if offered > 0 {
        steps.push(format!(
            "Outlook offers the addresses of its list ({}) again once its own data file is open. Elsewhere, or if it does not, import them: `porter take TRUNK {} contacts.vcf --as contacts`.",
            count(offered),
            quoted_id(&item.id)
        ));
    }
    // Profiles bring their accounts along, and nothing else does.
    if !item.facts.contains_key(NAME) {
        let typed = accounts.iter().map(|account| format!("Set up the account {}.", in_full(account)));
        steps.splice(0..0, typed);
        return steps;
    }
    let entered = item.findings.iter().find_map(|finding| match &finding.reason {
        Reason::Entered { name } => Some(name),
        _ => None,
    });
    if let (Some(name), true) = (entered, item.facts.contains_key("default")) {
        steps.push(format!(
            "It opened by default on the old machine, and another profile does here: choose \u{201c}{}\u{201d} in the program's list of profiles, \
             or restore again with --restored-profiles-open.",
            on_screen(name.as_bytes())
        ));
    }
    let passwords = item.counts.iter().find(|row| row.name == PASSWORDS);
    let comes_along = passwords.is_some_and(|row| row.landed > 0);
    if comes_along && item.facts.get("passwords").is_some_and(|code| code == "behind-primary-password") {
        steps.push(format!(
            "{} came along, and open only with the primary password that was set in the old program: ask for it.",
            counted(passwords.map_or(0, |row| row.landed), "saved password")
        ));
    }
    if !comes_along && item.verdict == Verdict::Landed {
        steps.extend(accounts.iter().map(|account| format!("Type the password of {}.", in_short(account))));
    }
    steps
}
