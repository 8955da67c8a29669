//! A kind of item that nobody knew before is one file: found, captured, landed, proved and taken back by what
//! is written here.
#![allow(clippy::unwrap_used, reason = "a test that cannot go on fails")]

use crate::stand_ins::{FailingTrunk, TrunkFailure, path};
use porter_core::capture::{Job, capture};
use porter_core::check::check_machine;
use porter_core::journal::runs_in;
use porter_core::restore::{Wishes, plan_restore, run_plan};
use porter_core::survey::survey;
use porter_core::undo::{UndoGrounds, take_back};
use porter_kinds::Kinds;
use porter_kinds::catalogue::Catalogue;
use porter_kinds::changes::{Adapt, Changes, Edit, Moved, SetControl};
use porter_kinds::choice::{Selection, Unchosen};
use porter_kinds::existing::Existing;
use porter_kinds::ground::Ground;
use porter_kinds::item::Item;
use porter_kinds::kind::{Instead, Kind};
use porter_kinds::part::{Part, What};
use porter_kinds::receipt::{CountReceipt, ItemReceipt, Reason, Verdict};
use porter_machine::control::Control;
use porter_machine::{Machine, Place, recognise};
use porter_names::{Facts, RelativePath};
use porter_source::HostFolder;
use porter_trunk::TrunkItem;
use porter_trunk::open_form::OpenTrunk;
use std::collections::BTreeMap;
use std::fs;
use std::io;
use std::path::Path;
use std::sync::{Arc, Mutex};

/// Logs of flights: a folder each person keeps among their data, and the wind they like best, which the
/// system knows.
struct FlightLogs;

impl Kind for FlightLogs {
    fn name(&self) -> &'static str {
        "flights"
    }

    fn find(&self, machine: &Machine, _: &Catalogue) -> Vec<Item> {
        let log = |account: &porter_machine::Account| {
            let at = machine.place(Some(account), Place::RoamingData)?.path.join(b"Flights").ok()?;
            machine.volume.metadata(&at).ok()?;
            let id = format!("{}/flights/log", account.id);
            let part =
                Part { name: "main".into(), place: Place::RoamingData, what: What::At(path("Flights")) };
            Some(Item {
                parts: vec![part],
                counts: vec![("flights".to_owned(), 2)],
                ..Item::new(id, self.name(), Some(account.id.clone()), "Flight log".to_owned())
            })
        };
        machine.accounts.iter().filter_map(log).collect()
    }

    fn instead(&self, _: &Item, _: &Machine, at: &RelativePath) -> Instead {
        match at.name() {
            Some(b"log.txt") => Instead::Content(Box::new(&b"two flights, in one piece"[..])),
            _ => Instead::Nothing,
        }
    }

    fn land(&self, items: &[&TrunkItem], ground: &Ground<'_>, changes: &mut Changes) {
        for item in items {
            let account = ground.account_of(item).unwrap();
            let documents = ground.machine.place(Some(account), Place::Documents).unwrap();
            changes.move_part(Moved {
                item: item.id.clone(),
                from_place: Place::RoamingData.name().to_owned(),
                from: path("Flights"),
                to_place: Place::Documents.name().to_owned(),
                to: path("Flying"),
            });
            changes.adapt(Adapt {
                item: item.id.clone(),
                place: Place::RoamingData.name().to_owned(),
                path: path("Flights/where.ini"),
                with: Box::new(|_| Some(b"at=Documents/Flying".to_vec())),
            });
            let at = documents.path.join(b"logs.list").unwrap();
            changes.write(Edit::new(&item.id, at, b"Flying".to_vec()));
            let if_not_set = |detail| Reason::NotWritten { detail };
            let set = SetControl::new(&item.id, &WIND, wind("12"), if_not_set);
            changes.set(SetControl { owner: account.id.clone(), ..set });
        }
    }

    fn prove(&self, item: &TrunkItem, ground: &Ground<'_>, row: &mut ItemReceipt) {
        let at = ground.folder_of(item, &item.parts[0]).unwrap();
        let blown = WIND.read("odile", &wind("")).unwrap() == Some(wind("12"));
        let is_whole = blown && ground.machine.volume.metadata(&at.join(b"where.ini").unwrap()).is_ok();
        row.counts.push(CountReceipt {
            name: "flights".to_owned(),
            captured: item.counts[0].captured,
            landed: if is_whole { 2 } else { 0 },
        });
    }
}

/// Something of the running system, in memory.
struct Wind(Mutex<BTreeMap<String, Facts>>);

static WIND: Wind = Wind(Mutex::new(BTreeMap::new()));

fn wind(speed: &str) -> Facts {
    Facts::from([("speed".to_owned(), speed.to_owned())])
}

impl Control for Wind {
    fn name(&self) -> &'static str {
        "wind"
    }

    fn read(&self, owner: &str, _: &Facts) -> io::Result<Option<Facts>> {
        Ok(self.0.lock().unwrap().get(owner).cloned())
    }

    fn set(&self, owner: &str, becomes: &Facts) -> io::Result<()> {
        self.0.lock().unwrap().insert(owner.to_owned(), becomes.clone());
        Ok(())
    }

    fn remove(&self, owner: &str, _: &Facts) -> io::Result<()> {
        self.0.lock().unwrap().remove(owner);
        Ok(())
    }

    fn shown(&self, owner: &str, facts: &Facts) -> String {
        format!("wind of {owner}: {}", facts["speed"])
    }
}

fn machine(root: &Path) -> Machine {
    static CONTROLS: &[&dyn Control] = &[&WIND];
    for folder in ["Windows/System32", "Users/odile/AppData/Roaming", "Users/odile/Documents"] {
        fs::create_dir_all(root.join(folder)).unwrap();
    }
    let system = HostFolder::open(root).unwrap();
    Machine { controls: CONTROLS, ..recognise(Arc::new(system), "LOFT-PC".to_owned()).unwrap() }
}

#[test]
fn a_new_kind_is_one_file() {
    let bench = tempfile::tempdir().unwrap();
    let (old, new) = (bench.path().join("old"), bench.path().join("new"));
    let flights = old.join("Users/odile/AppData/Roaming/Flights");
    fs::create_dir_all(&flights).unwrap();
    fs::write(flights.join("log.txt"), "torn").unwrap();
    fs::write(flights.join("where.ini"), "at=AppData/Roaming/Flights").unwrap();
    let (from, to) = (machine(&old), machine(&new));
    fs::write(new.join("Users/odile/Documents/logs.list"), "none").unwrap();
    WIND.set("odile", &wind("7")).unwrap();

    let kinds = Kinds::from(Catalogue::built_in(from.layout.family).unwrap()).with(&FlightLogs);
    let only = Selection::new(&[], &["odile/flights".to_owned()], &[]).unwrap();
    let trunk = bench.path().join("trunk");
    crate::stand_ins::undisturbed(&mut |conduct| {
        let found = survey(&from, &kinds, &only, &Unchosen::default(), conduct).unwrap();
        let job = Job {
            machine: &from,
            kinds: &kinds,
            survey: &found,
            unchosen: &Unchosen::default(),
            may_leave_out: false,
            prove_later: false,
            free_in_bytes: u64::MAX,
        };
        let writer = FailingTrunk::create(&trunk, TrunkFailure::Never);
        capture(&job, &writer, &crate::stand_ins::now, conduct).unwrap();
        let trunk = OpenTrunk::load(&trunk).unwrap();
        let wishes = Wishes {
            accounts: &BTreeMap::new(),
            selection: &only,
            kinds: &Default::default(),
            land_held: &Default::default(),
            now_utc: crate::stand_ins::NOW,
        };
        let plan = plan_restore(&trunk, &to, &kinds, &wishes, &mut |_| Existing::SetAside, conduct).unwrap();
        let records = to.records_on_host().unwrap();
        let report = run_plan(&trunk, plan, Some(&records), &crate::stand_ins::now, conduct).unwrap();
        assert!(report.refused.is_empty(), "{:?}", report.refused);
        let read = |name: &str| fs::read_to_string(new.join("Users/odile/Documents").join(name)).unwrap();
        assert_eq!(read("Flying/log.txt"), "two flights, in one piece");
        assert_eq!(
            (read("Flying/where.ini"), read("logs.list")),
            ("at=Documents/Flying".into(), "Flying".into())
        );
        assert_eq!(WIND.read("odile", &wind("")).unwrap(), Some(wind("12")));

        let check = |machine: &Machine| {
            let given = BTreeMap::new();
            let receipt =
                check_machine(&trunk, machine, &kinds, &given, &only, crate::stand_ins::NOW, conduct)
                    .unwrap();
            let row = receipt.items.iter().find(|row| row.id == "odile/flights/log").unwrap();
            (row.verdict, row.counts[0].landed)
        };
        assert_eq!(check(&to), (Verdict::Landed, 2));

        let grounds = UndoGrounds::new(&to, &kinds);
        let runs = runs_in(&records);
        let undone = take_back(
            &runs[0],
            to.volume.host_tree().unwrap(),
            &grounds,
            false,
            &crate::stand_ins::now,
            conduct,
        )
        .unwrap();
        assert!(undone.kept.is_empty(), "{:?}", undone.kept);
        assert_eq!(read("logs.list"), "none");
        assert_eq!(WIND.read("odile", &wind("")).unwrap(), Some(wind("7")));
        assert!(!new.join("Users/odile/Documents/Flying").exists());
    });
}
