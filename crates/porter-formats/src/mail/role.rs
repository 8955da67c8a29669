//! The role of a folder of letters.

/// See the module.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Hash)]
pub enum Role {
    /// Where letters come in.
    Inbox,
    /// Sent letters.
    Sent,
    /// Letters that wait to be sent.
    Outbox,
    /// Letters that are not ready.
    Drafts,
    /// Deleted letters.
    Deleted,
    /// Letters that nobody asked for.
    Junk,
    /// A folder that a person has made.
    #[default]
    Own,
}

/// Names that programs give such folders in the languages that they are most used in, in small letters.
const NAMES: [(Role, &[&str]); 6] = [
    (
        Role::Inbox,
        &[
            "inbox",
            "posteingang",
            "bo\u{ee}te de r\u{e9}ception",
            "courrier entrant",
            "posta in arrivo",
            "postvak in",
            "bandeja de entrada",
            "caixa de entrada",
        ],
    ),
    (
        Role::Sent,
        &[
            "sent",
            "sent items",
            "sent messages",
            "sent mail",
            "sent-mail",
            "gesendet",
            "gesendete elemente",
            "gesendete objekte",
            "envoy\u{e9}s",
            "\u{e9}l\u{e9}ments envoy\u{e9}s",
            "posta inviata",
            "inviata",
            "verzonden",
            "verzonden items",
            "enviados",
            "elementos enviados",
            "itens enviados",
        ],
    ),
    (
        Role::Outbox,
        &[
            "outbox",
            "unsent messages",
            "postausgang",
            "bo\u{ee}te d'envoi",
            "posta in uscita",
            "postvak uit",
            "bandeja de salida",
            "caixa de sa\u{ed}da",
        ],
    ),
    (
        Role::Drafts,
        &["drafts", "draft", "entw\u{fc}rfe", "brouillons", "bozze", "concepten", "borradores", "rascunhos"],
    ),
    (
        Role::Deleted,
        &[
            "trash",
            "deleted items",
            "deleted messages",
            "deleted",
            "papierkorb",
            "gel\u{f6}schte elemente",
            "gel\u{f6}schte objekte",
            "corbeille",
            "\u{e9}l\u{e9}ments supprim\u{e9}s",
            "posta eliminata",
            "cestino",
            "verwijderde items",
            "prullenbak",
            "elementos eliminados",
            "papelera",
            "itens eliminados",
            "lixeira",
        ],
    ),
    (
        Role::Junk,
        &[
            "junk",
            "spam",
            "junk e-mail",
            "junk email",
            "junk mail",
            "bulk mail",
            "junk-e-mail",
            "werbung",
            "courrier ind\u{e9}sirable",
            "ind\u{e9}sirables",
            "posta indesiderata",
            "ongewenste e-mail",
            "correo no deseado",
            "lixo eletr\u{f4}nico",
        ],
    ),
];

impl Role {
    /// By the name of a folder, where nothing else tells.
    pub fn of_name(name: &str) -> Self {
        let name = name.to_lowercase();
        let name = name.strip_suffix(".mbox").unwrap_or(&name);
        let known = NAMES.iter().find(|(_, names)| names.contains(&name));
        known.map(|(role, _)| *role).unwrap_or_default()
    }
}
