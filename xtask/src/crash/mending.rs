//! Commands that mend a trunk, or change its passphrase, and are killed: done again, they end as if nothing
//! had happened.

use super::{Contents, Crash, PASSPHRASE, WAYS, output, words};
use porter_demo::dice::Dice;
use std::fs;
use std::path::{Path, PathBuf};
use std::time::Duration;

/// The harm done to a sealed trunk with spare data.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Harm {
    /// A stretch of a pack is lost, and the spare data of another.
    Pack,
    List,
    /// The first copy of the wrapped key, and the label.
    Heads,
    /// None: it gets another passphrase, and the first again.
    Passphrase,
}

const HARMS: [Harm; 4] = [Harm::Pack, Harm::List, Harm::Heads, Harm::Passphrase];

impl Crash {
    pub(super) fn mending(&self, count: usize, whole: &Contents, dice: &mut Dice) -> Result<(), String> {
        let sealed = WAYS.len() - 1;
        let (made, trunk) = (self.bench.join("made"), self.bench.join("trunk"));
        self.well(&self.capture(&made, sealed))?;
        let passphrases =
            [("old.txt", PASSPHRASE), ("new.txt", "fifty kites at five")].map(|(name, text)| {
                let file = self.bench.join(name);
                fs::write(&file, text).map(|()| file).map_err(|cause| cause.to_string())
            });
        let [old, new] = passphrases;
        let passphrases = [old?, new?];
        let mut took = [Duration::ZERO; HARMS.len()];
        let mut killed = 0;
        // The first of each is not killed, to learn how long it takes.
        for number in 0..HARMS.len() + count {
            let at = number % HARMS.len();
            let harm = HARMS[at];
            let what = format!("mending {number}, {harm:?}");
            self.well(&words(&["cp", "-a"], &[&made, &trunk]))?;
            harm.done_to(&trunk, dice).map_err(|cause| cause.to_string())?;
            let command = self.remedy(harm, &trunk, &passphrases);
            if number < HARMS.len() {
                took[at] = self.timed(&command)?;
            } else {
                for _ in 0..1 + dice.below(2) {
                    killed += u32::from(self.killed_after(&command, took[at], dice)?);
                }
                if harm != Harm::Passphrase {
                    self.well(&command)?;
                } else if !self.opens(&trunk, &passphrases[1])? {
                    // Had it been opened by neither, this would fail.
                    self.well(&command).map_err(|said| format!("{what}: {said}"))?;
                }
            }
            if harm == Harm::Passphrase {
                let [old, new] = &passphrases;
                self.well(&self.remedy(harm, &trunk, &[new.clone(), old.clone()]))?;
            }
            self.compare(&trunk, whole, &what)?;
            self.is_tidy(&trunk, sealed, &what)?;
            self.remove(&trunk)?;
        }
        println!("mend: {count} trunks, {killed} runs killed: every one is whole again, and opens");
        Ok(())
    }

    /// The remedy against it. Passphrases are those before and after.
    fn remedy(&self, harm: Harm, trunk: &Path, passphrases: &[PathBuf; 2]) -> Vec<String> {
        let porter = self.shown();
        match harm {
            Harm::Pack => words(&[&porter, "check", "--mend", "--quiet"], &[trunk]),
            Harm::List | Harm::Heads => words(&[&porter, "look", "--mend"], &[trunk]),
            Harm::Passphrase => {
                let [before, after] = passphrases.each_ref().map(|file| file.display().to_string());
                let files = ["--passphrase-file", &before, "--new-passphrase-file", &after];
                words(&[&[porter.as_str(), "passphrase"][..], &files].concat(), &[trunk])
            }
        }
    }

    fn opens(&self, trunk: &Path, passphrase: &Path) -> Result<bool, String> {
        let porter = self.shown();
        let check = [porter.as_str(), "check", "--quiet", "--depth", "listing", "--passphrase-file"];
        Ok(output(&words(&check, &[passphrase, trunk]))?.status.success())
    }
}

impl Harm {
    fn done_to(self, trunk: &Path, dice: &mut Dice) -> std::io::Result<()> {
        match self {
            Self::Pack => {
                let pack = trunk.join("pack-00001.pack");
                let mut bytes = fs::read(&pack)?;
                let length = bytes.len() / 50;
                let from = dice.below(bytes.len() - length);
                bytes[from..from + length].fill(0);
                fs::write(pack, bytes)?;
                fs::remove_file(trunk.join("pack-00002.pack.spare"))
            }
            Self::List => fs::remove_file(trunk.join("list-00001.list")),
            Self::Heads => {
                fs::write(trunk.join("seal.json"), "{")?;
                fs::remove_file(trunk.join("label.json"))
            }
            Self::Passphrase => Ok(()),
        }
    }
}
