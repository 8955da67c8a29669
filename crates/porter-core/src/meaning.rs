//! An item's meaning to its owner, in numbers: counted in the trunk's entries at the capture, and counted in
//! the files that landed.

use porter_kinds::catalogue::patterns::{Candidate, Patterns, in_lower_case};
use porter_kinds::item::Item;
use porter_names::RelativePath;
use porter_trunk::{Content, Entry, MeaningCount, TrunkItem, TrunkPart};

/// The counts of one item, and whether it has what it needs.
#[derive(Debug, Clone)]
pub(crate) struct Meaning {
    /// With what was counted so far.
    pub(crate) counts: Vec<MeaningCount>,
    /// True if something was seen that it cannot do without, or if it can do without everything.
    pub(crate) has_what_it_needs: bool,
    patterns: Vec<Patterns>,
    needs: Patterns,
    parts: Vec<TrunkPart>,
}

impl Meaning {
    /// Nothing counted yet; none for an item without numbers and needs.
    pub(crate) fn of(item: &Item) -> Option<Self> {
        let proof = &item.rule.as_ref()?.proof;
        if proof.counts.is_empty() && proof.needs.is_empty() {
            return None;
        }
        let rows = proof.counts.iter();
        let counts = rows.map(|(name, files)| MeaningCount {
            name: name.clone(),
            files: files.texts().to_vec(),
            captured: 0,
        });
        Some(Self {
            counts: counts.collect(),
            patterns: proof.counts.values().cloned().collect(),
            has_what_it_needs: proof.needs.is_empty(),
            needs: proof.needs.clone(),
            parts: item.parts.iter().map(porter_kinds::part::Part::as_listed).collect(),
        })
    }

    /// The same, from what a trunk says. Patterns that cannot be understood fit nothing.
    pub(crate) fn of_trunk(item: &TrunkItem) -> Option<Self> {
        // Numbers that a kind has counted are counted by that kind again.
        let by_files: Vec<&MeaningCount> =
            item.counts.iter().filter(|count| !count.files.is_empty()).collect();
        if by_files.is_empty() && item.needs.is_empty() {
            return None;
        }
        let patterns = |texts: &[String]| Patterns::new(texts.to_vec()).unwrap_or_default();
        Some(Self {
            counts: by_files.iter().map(|count| MeaningCount { captured: 0, ..(*count).clone() }).collect(),
            patterns: by_files.iter().map(|count| patterns(&count.files)).collect(),
            has_what_it_needs: item.needs.is_empty(),
            needs: patterns(&item.needs),
            parts: item.parts.clone(),
        })
    }

    /// Counts an entry.
    pub(crate) fn see(&mut self, entry: &Entry) {
        if !matches!(entry.content, Content::File { .. }) {
            return;
        }
        let Some(below) = self.below_part(entry) else { return };
        let lowered = in_lower_case(&below);
        let path = Candidate::new(&*lowered);
        self.has_what_it_needs |= self.needs.fit(&path);
        for (count, patterns) in self.counts.iter_mut().zip(&self.patterns) {
            count.captured += u64::from(patterns.fit(&path));
        }
    }

    /// The path below the part that it is in; for a part that is one file, its name.
    fn below_part(&self, entry: &Entry) -> Option<RelativePath> {
        let path = &entry.address.path;
        let root_of = |part: &&TrunkPart| {
            let root = RelativePath::from_bytes(part.path.as_bytes()).ok()?;
            (part.place == entry.address.place && path.is_within(&root)).then_some(root)
        };
        // The longest: parts may lie in each other.
        let root =
            self.parts.iter().filter_map(|part| root_of(&part)).max_by_key(|root| root.steps().count())?;
        let own_name =
            if *path == root { path.steps().count().saturating_sub(1) } else { root.steps().count() };
        path.steps().skip(own_name).try_fold(RelativePath::root(), |below, step| below.join(step).ok())
    }
}
