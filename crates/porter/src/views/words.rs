//! Cautions and reasons in plain words, each with what to do.

use super::kinds::setting;
use super::numbers::number_of;
use super::numbers::{count, counted, date_and_time};
use porter_kinds::caution::Caution;
use porter_kinds::receipt::{DriverUnfit, Reason};
use porter_names::screen::on_screen;
use porter_trunk::{KeptState, LeftReason};

/// Items that are carried and still need a hand on the new machine; readers of the survey's JSON know the
/// words.
pub(crate) const NOT_YET_COVERED: &str = "mail profiles are carried whole, and not registered on the new machine; settings of the whole machine, and printers, are set on a system that runs, and else are on the receipt, to be set by hand";

/// A caution in three lengths.
pub(crate) struct CautionWords {
    /// A word or two, to stand in a row: 14 letters at most.
    pub(crate) mark: &'static str,
    /// The danger.
    pub(crate) what: String,
    /// The advice.
    pub(crate) advice: &'static str,
}

/// The marks of cautions in one line; empty if there are none.
pub(crate) fn marks(cautions: &[Caution]) -> String {
    let mut marks: Vec<_> = cautions.iter().map(|row| caution(row).mark).collect();
    marks.dedup();
    marks.join(", ")
}

/// A reason without what differs from file to file.
pub(crate) fn in_general(why: &Reason) -> String {
    match why {
        Reason::ChangedSince { .. } => "worked on since it landed".to_owned(),
        Reason::RegistryStays { .. } => {
            "kept in the trunk: what was in the old registry; this system has none".to_owned()
        }
        Reason::Entered { .. } => "its program lists it, and opens another profile by default".to_owned(),
        Reason::NotKnownThere { .. } => {
            "this system is older, or lacks something, and does not take all of a setting; --json names it"
                .to_owned()
        }
        why => reason(why),
    }
}

/// The danger, and the advice.
pub(crate) fn caution(caution: &Caution) -> CautionWords {
    let (mark, what, advice) = match caution {
        Caution::UnusedAccount { days } => (
            "unused",
            format!("not used for {} before this machine was last used", counted(days.unsigned_abs(), "day")),
            "ask whether it is still wanted; leave it out with --skip",
        ),
        Caution::NoRegistry => (
            "no registry",
            "the profile folder has no registry (NTUSER.DAT)".to_owned(),
            "nobody ever signed in, or it was copied here by hand; look into it before you decide",
        ),
        Caution::PlaceIsLink { place } => (
            "elsewhere",
            format!("{place} is a link to somewhere else, which is not followed"),
            "look where it leads, and carry that place too",
        ),
        Caution::Unreadable { count: number } => (
            "unreadable",
            format!("{} could not be looked into", count(*number)),
            "run as administrator or root",
        ),
        Caution::WrongType { values } => (
            "wrong type",
            format!("{} of another type than the system reads: {}", counted(values.len() as u64, "value"), values.join("; ")),
            "the system does not heed them there, and they are not carried: look at the setting on the new machine",
        ),
        Caution::OtherVolumes { count } => (
            "other volume",
            format!("{} in which another volume is mounted, not entered", counted(*count, "folder")),
            "capture that volume separately if it is wanted",
        ),
        Caution::CloudOnly { count } => (
            "cloud only",
            format!("{} with the content only in the cloud", counted(*count, "file")),
            "download them first on the old machine, or sign in to the cloud on the new one",
        ),
        Caution::PlaceShut { place, path } => (
            "not entered",
            format!("{place} is in {path}, which the driver that shows this drive cannot enter: it is kept in step with a cloud"),
            "attach the drive to a running Windows and capture it there, or sign in to the cloud on the new machine",
        ),
        Caution::Shut { count: number } => (
            "driver",
            format!("{} kept in a way that the driver that shows this drive does not know", counted(*number, "thing")),
            "attach the drive to a running Windows and capture it there; what a cloud has comes from the cloud too",
        ),
        Caution::PlaceNotReached { place, path } => (
            "not reached",
            format!("{place} is kept in {path}, which is not there now"),
            "plug in that drive or reach that server, and look again",
        ),
        Caution::RegistryNotNewest { path } => (
            "registry",
            format!("{path} was being written when the system stopped, and its logs do not fit"),
            "accounts and settings made last may be missing; look at the folders of people by eye",
        ),
        Caution::RegistryUnreadable { path, detail } => (
            "registry",
            format!("{path} cannot be read ({detail})"),
            "what it tells is not known here: of SOFTWARE the product, the programs and the list of people, of NTUSER.DAT folders \
             that the person moved. Accounts and folders tell instead: look at them by eye",
        ),
        Caution::RegistryGone { path } => (
            "registry",
            format!("{path} is not there, though the rest of the registry is"),
            "the exact product, the programs and the list of people are not known: accounts and folders tell instead; look at them \
             by eye, and have the drive checked",
        ),
        Caution::RegistryMissing => (
            "registry",
            "no registry, and no list of its people, was found on this system".to_owned(),
            "people are recognised by their folders alone: look at them by eye, and ask who else used it",
        ),
        Caution::Hibernated => (
            "hibernated",
            "Windows was hibernated or shut down with fast start-up: what it held in memory is not on the drive".to_owned(),
            "if the PC still runs, start it and shut it down holding Shift; never mount its drive for writing",
        ),
        Caution::StoppedShort => (
            "not shut down",
            "not shut down cleanly; its registry was completed from its logs".to_owned(),
            "have the drive checked, and ask what was being worked on: that file may be half written",
        ),
        Caution::NotClosed => (
            "not closed",
            "the drive was not closed: the last changes before that may be missing".to_owned(),
            "ask what was being worked on when it stopped",
        ),
        Caution::RecordsLost { count } => (
            "lost records",
            format!(
                "{} of the drive's file system cannot be read, and nothing tells which files they were",
                number_of(*count, "records")
            ),
            "look by eye for what is missing; another run, or the drive in another adapter, may read them",
        ),
        Caution::DriveDamaged { detail } => (
            "damaged drive",
            detail.clone(),
            "copy what is needed from this drive soon, and do not use it again",
        ),
        Caution::DriveEncrypted { with } => (
            "encrypted",
            format!("this system keeps its drive encrypted with {with}"),
            "it can be read now; note its recovery key before anything on this PC is changed",
        ),
        Caution::HomeEncrypted { with } => (
            "encrypted",
            format!("the person's folder is encrypted with {with}, and what is seen here is only its shell"),
            "unlock it with the person's password, mount it, and survey that",
        ),
        Caution::EncryptedFiles { count } => (
            "encrypted",
            format!("{} that only the old account can read (EFS)", counted(*count, "file")),
            "sign in as that person on the old PC and take away *Encrypt contents* in Properties, or export the key",
        ),
        Caution::ProgramRunning { programs } => (
            "in use",
            format!("{} is running and writes to these files", programs.join(", ")),
            "close it before the capture",
        ),
        Caution::MayBeRunning { programs } => (
            "in use?",
            format!(
                "the system does not say whether {} is running and writes to these files",
                programs.join(", ")
            ),
            "make sure that it is closed, or run porter as administrator",
        ),
        Caution::MailElsewhere { path } => (
            "mail elsewhere",
            format!("mail in {path} is not carried: it is not on this drive, or in a folder with other things or of the system"),
            "look for it, on other drives and servers as well, and copy it by hand: the program lists it",
        ),
        Caution::ProfileMissing { name, path } => (
            "no profile",
            format!("a program lists the profile \u{201c}{name}\u{201d}, whose folder is not there ({path})"),
            "look for it on other drives; else it was deleted, and only its name is left",
        ),
        Caution::ProfileDamaged { file, detail } => (
            "damaged",
            format!("{file} cannot be understood ({detail})"),
            "it is carried as it is; ask what is missing, and look for its program's own backups",
        ),
        Caution::NoOwner => (
            "no account",
            "the system knows nobody who owns this folder".to_owned(),
            "somebody who left, or a new profile beside it: look into it before you decide",
        ),
        Caution::WithoutFolder { names } => (
            "no folder",
            format!("may sign in, but without a folder here: {}", names.join(", ")),
            "they never did, or their folder is on another drive or was deleted: ask",
        ),
        Caution::DisabledAccount => (
            "disabled",
            "nobody can sign in with it".to_owned(),
            "ask whether it is still wanted; leave it out with --skip",
        ),
        Caution::AccountOfDomain { domain } => (
            "domain",
            match domain.as_str() {
                "" => "a domain vouches for this person".to_owned(),
                domain => format!("the domain {} vouches for this person", on_screen(domain.as_bytes())),
            },
            "join the new PC to the domain and have the person sign in there once before you restore; or restore into an account \
             of the new PC's own with --account",
        ),
        Caution::AccountOfMicrosoft { address } => (
            "Microsoft account",
            format!("signs in as {}", on_screen(address.as_bytes())),
            "have the person sign in with it on the new PC once before you restore; Microsoft brings back some settings by itself",
        ),
        Caution::AccountOfWorkOrSchool => (
            "work or school",
            "signs in with an account of a firm or school at Microsoft".to_owned(),
            "ask who looks after it: the new PC has to be joined there before the person signs in",
        ),
        Caution::RoamingProfile { path } => (
            "roaming",
            format!("the profile is kept in step with {}", on_screen(path.as_bytes())),
            "the server has a copy, which the new PC fetches at the first sign-in: restore after that",
        ),
        Caution::PlacesInCloud { folder, places } => (
            "in the cloud",
            format!("kept in {}: {}", on_screen(folder.as_bytes()), places.join(", ")),
            "they land where the new PC has these places; once the person signs in to the cloud there, it may move them again",
        ),
        Caution::NotAdministrator => (
            "no rights",
            "porter runs without an administrator's rights: other people's folders, and what programs keep for \
             themselves, will be missing"
                .to_owned(),
            "run it again as administrator (Windows) or with sudo (Linux)",
        ),
        Caution::Links { count } => (
            "links",
            format!("{}, recorded and not followed", counted(*count, "link")),
            "what a link leads to is carried only if it lies in an item itself",
        ),
        Caution::TooLargeForFat32 { count } => (
            "4 GiB files",
            format!("{} of 4 GiB or more", counted(*count, "file")),
            "do not put the trunk on a FAT32 stick",
        ),
        Caution::NamesWindowsCannotHold { count } => (
            "odd names",
            format!("{} that Windows cannot hold", counted(*count, "name")),
            "they get safe names on the new machine, and the receipt lists them",
        ),
        Caution::LongPaths { count } => (
            "long paths",
            format!("{} longer than 260 characters", counted(*count, "path")),
            "they are carried, but most Windows programs cannot open them",
        ),
        Caution::NotRead { detail } => (
            "NOT READ",
            format!("this person's folder cannot be looked into: {detail}"),
            "run as administrator (Windows) or with sudo (Linux); nothing of this person is known or carried",
        ),
        Caution::WorkAmongPrograms { paths } => (
            "work",
            format!("documents or databases that changed lately are kept among the programs: {}", paths.join(", ")),
            "carry such a folder with --also, and ask what is kept there",
        ),
        Caution::Compressed { count } => (
            "compressed",
            format!("{} that the old drive keeps compressed (NTFS), which take more room on the new one", counted(*count, "file")),
            "compress them again there if room is short",
        ),
        Caution::TrunkHere { path } => (
            "trunk",
            format!("{path} is a trunk that porter made; it is left where it is"),
            "copy it if it is wanted, or name it with --also",
        ),
        Caution::EarlierWindows { path } => (
            "old Windows",
            format!("{path} holds an earlier Windows, perhaps with people's files"),
            "survey that folder separately",
        ),
    };
    CautionWords { mark, what: on_screen(what.as_bytes()), advice }
}

/// The state that a trunk keeps of a file that could not be read.
pub(crate) fn kept_state(kept: &KeptState) -> String {
    let when = date_and_time(kept.from_utc);
    match kept.tally.entries() {
        1 => format!("the trunk keeps it as it was captured {when}"),
        entries => format!("the trunk keeps {} of it as captured {when}", counted(entries, "entry")),
    }
}

/// Why something was left at the capture.
pub(crate) fn left(reason: &LeftReason) -> String {
    on_screen(raw_left(reason).as_bytes())
}

fn raw_left(reason: &LeftReason) -> String {
    match reason {
        LeftReason::Rule { why } | LeftReason::NotCovered { why } => why.clone(),
        LeftReason::NotChosen { why } => why.clone(),
        LeftReason::Encrypted => "encrypted for one account of the old Windows (EFS); sign in as that person on the old PC and take \
             away *Encrypt contents* in Properties, or export the key"
            .to_owned(),
        LeftReason::PermissionDenied => "permission denied; run as administrator or root".to_owned(),
        LeftReason::Gone => "it was gone when it was to be read".to_owned(),
        LeftReason::InUse => "a program held it open; close the program and capture again".to_owned(),
        LeftReason::CloudOnly => {
            "its content was only in the cloud; download it on the old machine, or sign in on the new one"
                .to_owned()
        }
        LeftReason::CloudNotEntered { holds } => {
            let holds = if holds.is_empty() { String::new() } else { format!(" (in it: {holds})") };
            format!(
                "it is kept in step with a cloud, and the driver that showed the drive cannot enter it{holds}; attach the \
                 drive to a running Windows and capture it there, or sign in to the cloud on the new machine"
            )
        }
        LeftReason::NotKnownToDriver { tag } => format!(
            "it is kept in a way that the driver that showed the drive does not know ({tag}); attach the drive to a running \
             Windows and capture it there"
        ),
        LeftReason::OtherVolume => {
            "another volume was mounted there; capture it separately if it is wanted".to_owned()
        }
        LeftReason::Medium { detail } => format!("the drive could not read it ({detail})"),
        LeftReason::Incomplete { missing_in_bytes, size_in_bytes } => format!(
            "the drive could not read {} of its {} bytes; the rest is in the trunk, and lands under a name that says so",
            count(*missing_in_bytes),
            count(*size_in_bytes)
        ),
        LeftReason::ChangedWhileRead => {
            "it was changed while it was read; close what writes to it and capture again".to_owned()
        }
        LeftReason::IsLink => "a link stood there, and links are not followed".to_owned(),
        LeftReason::NameNotHeld => "this system cannot hold its name; capture on another system".to_owned(),
        LeftReason::TooLargeForTrunk => {
            "too large for the trunk's file system; use a stick that is not FAT32".to_owned()
        }
        LeftReason::NotAFile => "a device or pipe, not a file".to_owned(),
        LeftReason::StreamNotRead => "a named stream that could not be read".to_owned(),
        LeftReason::Unreadable { detail } => format!("it could not be read ({detail})"),
    }
}

/// Why something did not simply land, with advice. Nothing in it steers a terminal: a reason's texts may come
/// from a trunk or a saved receipt.
pub(crate) fn reason(reason: &Reason) -> String {
    on_screen(raw_reason(reason).as_bytes())
}

fn raw_reason(reason: &Reason) -> String {
    match reason {
        Reason::ContentDiffers { captured_size, found_size } => format!(
            "the content is not what was captured ({} bytes then, {} now); if nobody worked on it, take it out of the trunk again",
            count(*captured_size),
            count(*found_size)
        ),
        Reason::NotThere => "it is not there; take it out of the trunk again".to_owned(),
        Reason::OtherKindThere { what } => format!("{what} is there instead"),
        Reason::LinkDiffers => "the link leads elsewhere now".to_owned(),
        Reason::CannotBeRead { detail } => format!("it is there and cannot be read ({detail})"),
        Reason::NoAccount { account } => {
            format!("the new machine has no account for {account}; name one with --account {account}=NAME")
        }
        Reason::NoPlace { place } => format!("the new machine has no place called {place}"),
        Reason::SetByHand { now } => {
            format!("to be set by hand; the new machine has {}", setting::values(now))
        }
        Reason::LacksWhatItNeeds { needs, was_so } => format!(
            "it cannot be used without a file such as {}{}",
            needs.join(" or "),
            if *was_so {
                ", which the old machine did not have either"
            } else {
                "; take it out of the trunk again"
            }
        ),
        Reason::PathsFollow => {
            "landed, and the paths in it lead to their places on the new machine".to_owned()
        }
        Reason::NoSuchProgram { title } => {
            format!(
                "nothing on this system reads what is in {title}: take it out with `porter take`, or land its files in the documents with --land-held"
            )
        }
        Reason::NewerThanProgram { has, installed } => format!(
            "a version {has} has used it, and version {installed} here would refuse it: bring the program up to date and restore again, or carry the bookmarks alone (--newer-profiles bookmarks)"
        ),
        Reason::NotEntered { title, detail } => {
            format!("the list of {title} could not be changed: {detail}")
        }
        Reason::LettersNotBrought { into, detail } => {
            format!("its letters could not be brought into {into}: {detail}")
        }
        Reason::LettersGone { into, letters } => format!(
            "{} that came into {into} are not there any more: somebody deleted them, or restore again",
            counted(*letters, "letter")
        ),
        Reason::LettersTakenAway { into, letters } => format!(
            "{} that lay ready for {into} are not there any more: look into {into} whether they were imported, else restore again",
            counted(*letters, "thing")
        ),
        Reason::LettersNotRead { into, detail } => {
            format!("whether its letters are in {into} cannot be known: {detail}")
        }
        Reason::Entered { name } => {
            format!("its program lists it as \u{201c}{name}\u{201d}; another profile opens by default")
        }
        Reason::ToOpen { path, messages, is_copy: false } => {
            format!(
                "{} in {path}: its program opens it once somebody says where it is",
                counted(*messages, "message")
            )
        }
        Reason::ToOpen { path, messages, is_copy: true } => format!(
            "{path} is a copy of a mailbox on a server, with {}: it opens with its own account alone, which fills another one",
            counted(*messages, "message")
        ),
        Reason::OpensAll { path } => format!("{path} tells Outlook to open the data files"),
        Reason::OpensByItself => "it opens by default".to_owned(),
        Reason::NotRegistered { title } => {
            format!("it is there, and {title} does not list it: close {title}, and restore again")
        }
        Reason::OneFolderTooDeep { folder } => {
            format!("not where it belongs, but one folder too deep, in {folder}")
        }
        Reason::RestoreCutOff { started_utc } => format!(
            "the restore of {} never came to its end: run it again, or take it back with `porter undo`",
            date_and_time(*started_utc)
        ),
        Reason::JournalDamaged { journal } => format!(
            "the journal `{journal}` of an earlier restore is damaged: what got another name, or other paths, is not known. Run the restore again"
        ),
        Reason::RegistryNotEntered { detail } => {
            format!("what it has in the person's registry could not be entered: {detail}")
        }
        Reason::RegistryDiffers { values, names } => {
            format!(
                "{} in the person's registry not as captured: {}",
                counted(*values, "value"),
                names.join("; ")
            )
        }
        Reason::RegistryStays { values } => {
            format!(
                "kept in the trunk: {} from the old registry; this system has none",
                counted(*values, "value")
            )
        }
        Reason::ComesWithItsProgram => {
            "its programs set it up again when they are installed: look into their settings then".to_owned()
        }
        Reason::SettingStays { now } => {
            format!("the new machine's own stays, as was wished: {}", setting::values(now))
        }
        Reason::NotKnownThere { names } => {
            format!("this system is older or lacks it, and does not take: {}", names.join(", "))
        }
        Reason::SettingNotSet { detail } => format!("it could not be set: {detail}"),
        Reason::PrinterNotSet { detail } => format!("the printer could not be set up: {detail}"),
        Reason::PrinterWithoutDriver { driver } => {
            format!("its driver ({driver}) is not here: choose its model in the settings of printers")
        }
        Reason::FontsNotListed { fonts } => format!(
            "they are in Windows\\Fonts, and Windows does not list them yet: right-click each there, and choose Install for all users ({})",
            on_screen(fonts.join(", ").as_bytes())
        ),
        Reason::TaskThere { name, is_enabled: true } => {
            format!("{} is there, and switched on", on_screen(name.as_bytes()))
        }
        Reason::TaskThere { name, is_enabled: false } => {
            format!("{} is there, and switched off", on_screen(name.as_bytes()))
        }
        Reason::DriverNotInstalled { why } => driver_unfit(why),
        Reason::LettersWait { into } => how_to_import(into),
        Reason::PrinterDefaultsStay { then } => {
            format!("it prints otherwise than it did unless somebody chooses: {}", setting::values(then))
        }
        Reason::WifiWithoutPassword => setting::WIFI_WITHOUT_PASSWORD.to_owned(),
        Reason::KeepsItsName { name } => {
            format!("the new machine keeps its name, {name}: two of one name disturb each other on a network")
        }
        Reason::DatabaseDamaged { file, detail } => {
            format!("{file} is not whole ({detail}); take it out of the trunk again")
        }
        Reason::NotChosenAtCapture => "left out on purpose when it was captured".to_owned(),
        Reason::NotChosenNow => "in the trunk, and left out on purpose".to_owned(),
        Reason::LeftAtCapture { left, kept } => {
            let kept = kept.as_ref().map(|kept| format!("; {}", kept_state(kept)));
            format!("{}{}", raw_left(left), kept.unwrap_or_default())
        }
        Reason::Incomplete { missing_in_bytes, size_in_bytes } => format!(
            "landed in part: the old drive could not read {} of its {} bytes, and zeros stand there",
            count(*missing_in_bytes),
            count(*size_in_bytes)
        ),
        Reason::Held { why } => format!("kept in the trunk: {why}"),
        Reason::GoneSince { landed_utc } => format!(
            "it had landed by {}, and somebody has removed or renamed it since; ask, or take it out of the trunk again",
            date_and_time(*landed_utc)
        ),
        Reason::ChangedSince { landed_utc, changed_utc } => {
            format!(
                "it had landed by {}, and was worked on until {}",
                date_and_time(*landed_utc),
                date_and_time(*changed_utc)
            )
        }
        Reason::KeptExisting { path } => {
            format!("another file was there and kept its name; this one is {path}")
        }
        Reason::LandedAs { path } => format!("landed as {path}"),
        Reason::TimeDiffers => "landed, but its date of change is another".to_owned(),
        Reason::AttributesDiffer => "landed, but without a mark such as hidden or read-only".to_owned(),
        Reason::CreationTimesDiffer { .. } => {
            "landed, but without the dates of creation, which this drive does not keep".to_owned()
        }
        Reason::StreamsDiffer => "landed, but without a named stream".to_owned(),
        Reason::EntryRefused { line, problem } => format!(
            "refused: {problem}{}",
            if *line > 0 { format!(" (line {line} of the trunk's list)") } else { String::new() }
        ),
        Reason::LinkLeadsOut { target } => {
            format!("a link that leads out of its place, to {target}; make it by hand if it is wanted")
        }
        Reason::LinkNotMade { target } => {
            format!(
                "a link to {target}, which this system did not let us make; its target is there in its own place"
            )
        }
        Reason::InTheWay { what, path } => format!("{what} stands in its way ({path}) and was kept"),
        Reason::TooDeep { most_in_bytes } => format!(
            "its path would be longer than this system takes ({most_in_bytes} bytes); take it out of the trunk into a folder nearer to the root"
        ),
        Reason::Twice => "the trunk has it twice; the first one counts".to_owned(),
        Reason::NotListed { missing, captured } => format!(
            "the trunk's list is damaged: {} of {} captured entries are not in it; `porter check TRUNK --mend` repairs it from recovery data, or `porter look TRUNK --mend` rebuilds it",
            count(*missing),
            count(*captured)
        ),
        Reason::RolledBack { said, there } => format!(
            "an earlier receipt tells of capture {said}, and the latest that is there is capture {there}: what came after it is lost, or was taken away"
        ),
        Reason::OtherList { capture } => format!(
            "the list of capture {capture} is another one than an earlier receipt tells of: somebody has rebuilt it"
        ),
        Reason::AlteredSinceSigned => {
            "the trunk was altered since it was signed: ask the workshop whose signature it bears".to_owned()
        }
        Reason::TrunkDamaged { detail } => format!("the trunk is damaged: {detail}"),
        Reason::NotWritten { detail } => format!("it could not be written ({detail})"),
    }
}

/// Why a driver from a trunk is not installed.
pub(crate) fn driver_unfit(why: &DriverUnfit) -> String {
    match why {
        DriverUnfit::NotOnARunningWindows => {
            "drivers are installed on a running Windows, as administrator (`here`)".to_owned()
        }
        DriverUnfit::OtherProcessor { of: Some(of) } => {
            format!(
                "it is for another kind of processor ({}): get its maker's for this one",
                on_screen(of.as_bytes())
            )
        }
        DriverUnfit::OtherProcessor { of: None } => {
            "the old machine did not say for which kind of processor it is".to_owned()
        }
        DriverUnfit::OlderWindows => {
            "drivers go from a Windows to the same or a newer one, and this is older or does not say"
                .to_owned()
        }
        DriverUnfit::WithoutSetupInformation => {
            "its setup information (.inf) is not in the trunk as it was".to_owned()
        }
        DriverUnfit::NotInItsPackage => {
            "the setup information of its package does not speak of it for this kind of processor".to_owned()
        }
        DriverUnfit::NotSigned => {
            "its package is not signed, or the file that signs it (.cat) is not in the trunk".to_owned()
        }
        DriverUnfit::NotWished => "its files are here, and it is not installed".to_owned(),
        DriverUnfit::Refused { detail } => {
            format!("Windows did not install it: {}", on_screen(detail.as_bytes()))
        }
    }
}

/// How a person has a program import what waits for it.
pub(crate) fn how_to_import(program: &str) -> String {
    match program {
        "Apple Mail" => {
            "In Mail: File, Import Mailboxes, Files in mbox format, and choose that folder. In Contacts and Calendar: \
             File, Import, and choose the files for them."
        }
        "Windows Mail" => {
            "Open a folder in Mail, and drag the files of its folder there into it. People are imported by File, \
             Import, Contacts."
        }
        "Outlook" => {
            "Open a folder in Outlook, and drag the files of its folder there into it. Contacts.csv is imported by \
             File, Open & Export, Import/Export; a calendar is opened by a double click."
        }
        "Evolution" => "In Evolution: File, Import, and choose Contacts.vcf; all else is there already.",
        _ => "Import it there: File, Import, and choose the file.",
    }
    .to_owned()
}
