//! The verdict on an entry, decided from the records of earlier restores and from the machine's answer. No
//! disk is read here.

use porter_kinds::receipt::{Reason, Verdict};
use time::OffsetDateTime;

/// The verdict on one entry. Without a reason it has simply landed.
#[derive(Debug, PartialEq, Eq)]
pub(super) struct Fate {
    pub verdict: Verdict,
    pub reason: Option<Reason>,
    pub needs_attention: bool,
}

impl Fate {
    const LANDED: Self = Self { verdict: Verdict::Landed, reason: None, needs_attention: false };

    fn of(verdict: Verdict, reason: Reason) -> Self {
        let needs_attention = reason.needs_attention();
        Self { verdict, reason: Some(reason), needs_attention }
    }

    fn refused(reason: &Reason) -> Self {
        Self::of(reason.verdict(), reason.clone())
    }
}

/// The facts that can settle an entry before the machine is asked.
#[derive(Debug, Default)]
pub(super) struct Beforehand<'a> {
    /// It is a folder that only the old system's layout needs.
    pub is_of_old_layout: bool,
    /// The reason why it is kept in the trunk, if it is.
    pub held: Option<String>,
    /// Somebody asked for it although it is held, or although its program does not exist here.
    pub lands_held: bool,
    /// Its program does not exist on this system.
    pub foreign: Option<&'a Reason>,
    /// A restore put it there.
    pub put: bool,
    /// The restore refused it.
    pub refused: Option<&'a Reason>,
    /// The target of a link that leads out of its place, as shown on a screen.
    pub leads_out_to: Option<String>,
}

impl Beforehand<'_> {
    /// The fate of an entry that need not be looked for; none for the others.
    pub(super) fn fate(self) -> Option<Fate> {
        if self.is_of_old_layout {
            return Some(Fate::LANDED);
        }
        if let Some(why) = self.held
            && !self.lands_held
        {
            return Some(Fate::of(Verdict::KeptInTrunk, Reason::Held { why }));
        }
        if let Some(reason) = self.foreign.filter(|_| !self.put && !self.lands_held) {
            return Some(Fate::refused(reason));
        }
        // A file that is the same by chance does not make a profile that was refused one that is here.
        if let Some(reason) = self.refused.filter(|reason| reason.is_of_whole_item()) {
            return Some(Fate::refused(reason));
        }
        self.leads_out_to.map(|target| Fate::of(Verdict::LeftBehind, Reason::LinkLeadsOut { target }))
    }
}

/// The machine's answer for an entry.
#[derive(Debug)]
pub(super) enum Sight {
    /// The machine has no place for it.
    NoPlace(Reason),
    /// Nothing is there, not even one folder too deep unless `one_folder_too_deep` names that folder.
    Gone { one_folder_too_deep: Option<String> },
    /// It could not be looked at.
    Unreadable { detail: String },
    /// Its content has followed to this machine, as the restore wrote it.
    Adapted,
    /// Its content is the captured one.
    Same,
    /// Its content is another one.
    Differs { reason: Reason, modified_utc: Option<OffsetDateTime> },
}

/// The fate of an entry that was looked for. `refused` is the reason if the restore refused it, `landed_utc`
/// the end of the restore that landed it.
pub(super) fn fate_by_sight(
    sight: Sight,
    refused: Option<&Reason>,
    landed_utc: Option<OffsetDateTime>,
) -> Fate {
    match (sight, refused, landed_utc) {
        (Sight::NoPlace(reason), ..) => {
            Fate { verdict: reason.verdict(), reason: Some(reason), needs_attention: true }
        }
        (Sight::Adapted, ..) => Fate::of(Verdict::Landed, Reason::PathsFollow),
        (Sight::Same, ..) => Fate::LANDED,
        // An entry that the restore refused is reported as refused, not as somebody's change.
        (Sight::Gone { .. } | Sight::Unreadable { .. } | Sight::Differs { .. }, Some(reason), _) => {
            Fate::refused(reason)
        }
        (Sight::Gone { .. }, None, Some(landed_utc)) => {
            Fate::of(Verdict::Missing, Reason::GoneSince { landed_utc })
        }
        (Sight::Gone { one_folder_too_deep: Some(folder) }, None, None) => {
            Fate::of(Verdict::Missing, Reason::OneFolderTooDeep { folder })
        }
        (Sight::Gone { one_folder_too_deep: None }, None, None) => {
            Fate::of(Verdict::Missing, Reason::NotThere)
        }
        (Sight::Unreadable { detail }, None, _) => {
            Fate::of(Verdict::Missing, Reason::CannotBeRead { detail })
        }
        // An entry that had landed whole and has changed since is somebody's work and no fault.
        (
            Sight::Differs { reason: Reason::ContentDiffers { .. }, modified_utc: Some(changed_utc) },
            None,
            Some(landed_utc),
        ) if changed_utc > landed_utc => {
            Fate::of(Verdict::Changed, Reason::ChangedSince { landed_utc, changed_utc })
        }
        (Sight::Differs { reason, .. }, None, _) => Fate::of(Verdict::Changed, reason),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use Verdict::{Changed, KeptInTrunk, Landed, LeftBehind, Missing};
    use time::Duration;

    #[test]
    fn an_entry_is_settled_beforehand_only_by_a_rule_or_a_refusal() {
        let foreign = Reason::NoSuchProgram { title: "Kite Mail".to_owned() };
        let (refused, of_one_file) =
            (Reason::NewerThanProgram { has: "9".to_owned(), installed: "8".to_owned() }, Reason::Twice);
        let held = || Beforehand { held: Some("a licence".to_owned()), ..Beforehand::default() };
        let of_foreign = || Beforehand { foreign: Some(&foreign), ..Beforehand::default() };
        for (beforehand, verdict, needs_attention) in [
            (Beforehand::default(), None, false),
            (Beforehand { is_of_old_layout: true, ..held() }, Some(Landed), false),
            (held(), Some(KeptInTrunk), false),
            (Beforehand { put: true, ..held() }, Some(KeptInTrunk), false),
            (Beforehand { lands_held: true, ..held() }, None, false),
            (of_foreign(), Some(KeptInTrunk), false),
            (Beforehand { put: true, ..of_foreign() }, None, false),
            (Beforehand { lands_held: true, ..of_foreign() }, None, false),
            (Beforehand { refused: Some(&refused), ..Beforehand::default() }, Some(LeftBehind), true),
            (Beforehand { refused: Some(&of_one_file), ..Beforehand::default() }, None, false),
            (
                Beforehand { leads_out_to: Some("../..".to_owned()), ..Beforehand::default() },
                Some(LeftBehind),
                true,
            ),
        ] {
            let case = format!("{beforehand:?}");
            let fate = beforehand.fate().map(|fate| (fate.verdict, fate.needs_attention));
            assert_eq!(fate, verdict.map(|verdict| (verdict, needs_attention)), "{case}");
        }
    }

    #[test]
    fn the_machines_answer_is_judged_by_what_the_restore_said() {
        let landed = OffsetDateTime::UNIX_EPOCH;
        let (before, after) = (landed - Duration::SECOND, landed + Duration::SECOND);
        let content = || Reason::ContentDiffers { captured_size: 1, found_size: 1 };
        let differs = |modified_utc| Sight::Differs { reason: content(), modified_utc };
        let gone = |folder: Option<&str>| Sight::Gone { one_folder_too_deep: folder.map(str::to_owned) };
        let unreadable = || Sight::Unreadable { detail: "an error".to_owned() };
        let cannot_be_read = Reason::CannotBeRead { detail: "an error".to_owned() };
        let too_deep = Reason::OneFolderTooDeep { folder: "Documents".to_owned() };
        let twice = Some(&Reason::Twice);
        for (sight, refused, landed_utc, verdict, reason) in [
            (Sight::Same, None, None, Landed, None),
            (Sight::Same, twice, Some(landed), Landed, None),
            (Sight::Adapted, twice, None, Landed, Some(Reason::PathsFollow)),
            (Sight::NoPlace(Reason::Twice), None, None, LeftBehind, Some(Reason::Twice)),
            (gone(None), None, None, Missing, Some(Reason::NotThere)),
            (gone(Some("Documents")), None, None, Missing, Some(too_deep)),
            (
                gone(Some("Documents")),
                None,
                Some(landed),
                Missing,
                Some(Reason::GoneSince { landed_utc: landed }),
            ),
            (gone(None), twice, Some(landed), LeftBehind, Some(Reason::Twice)),
            (unreadable(), None, Some(landed), Missing, Some(cannot_be_read)),
            (unreadable(), twice, None, LeftBehind, Some(Reason::Twice)),
            (differs(Some(after)), None, None, Changed, Some(content())),
            (differs(Some(before)), None, Some(landed), Changed, Some(content())),
            (differs(None), None, Some(landed), Changed, Some(content())),
            (
                differs(Some(after)),
                None,
                Some(landed),
                Changed,
                Some(Reason::ChangedSince { landed_utc: landed, changed_utc: after }),
            ),
            (differs(Some(after)), twice, Some(landed), LeftBehind, Some(Reason::Twice)),
        ] {
            let case = format!("{sight:?}, refused {refused:?}, landed {landed_utc:?}");
            let needs_attention = reason.as_ref().is_some_and(Reason::needs_attention);
            let fate = fate_by_sight(sight, refused, landed_utc);
            assert_eq!(fate, Fate { verdict, reason, needs_attention }, "{case}");
        }
    }
}
