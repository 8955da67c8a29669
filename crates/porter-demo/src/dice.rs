//! Numbers that look like chance and are the same in every run.

/// SplitMix64 (Steele, Lea, Flood: *Fast splittable pseudorandom number generators*, 2014), seeded by a name.
#[derive(Debug, Clone)]
pub struct Dice(u64);

impl Dice {
    /// The same name yields the same numbers.
    pub fn named(name: &str) -> Self {
        Self(
            name.bytes()
                .fold(0x5eed_0f5a_17a2_5840, |seed, b| (seed ^ u64::from(b)).wrapping_mul(0x0100_0000_01b3)),
        )
    }

    /// The next number.
    pub fn roll(&mut self) -> u64 {
        self.0 = self.0.wrapping_add(0x9e37_79b9_7f4a_7c15);
        let mut z = self.0;
        z = (z ^ (z >> 30)).wrapping_mul(0xbf58_476d_1ce4_e5b9);
        z = (z ^ (z >> 27)).wrapping_mul(0x94d0_49bb_1331_11eb);
        z ^ (z >> 31)
    }

    /// A number below `end`, which is not 0.
    pub fn below(&mut self, end: usize) -> usize {
        usize::try_from(self.roll() % end as u64).unwrap_or(0)
    }

    /// One of some things.
    pub fn pick<'a, T: ?Sized>(&mut self, from: &[&'a T]) -> &'a T {
        from[self.below(from.len())]
    }
}
