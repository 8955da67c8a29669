//! The packed form: the usual one, small and fast, sealed if wanted.
//!
//! A trunk is a folder with a plain label, packs, and a list. Contents are cut by their bytes, each is kept
//! once, and blocks of some megabytes of them are compressed together. Packs hold the entries of their
//! contents too, so that without the list most of the trunk can be rebuilt from its packs alone.
//!
//! A folder becomes a trunk, or a trunk a newer one, in one step: a list gets its final name after everything
//! it names was written, flushed and read back. Packs that no list names were left by a run that was cut off;
//! the next run adopts them.
//!
//! The format is described in `docs/trunk-format.md`.

mod audit;
mod begins;
mod block;
mod block_cache;
mod block_file;
mod block_file_writer;
mod blocks;
mod buffers;
mod content_index;
mod content_writer;
mod cut_off;
mod cutter;
mod file_frame;
pub(crate) mod layout;
mod lines;
pub(crate) mod list;
mod opened_file;
mod pack_writer;
mod part_row;
mod parts;
mod reader;
mod reading;
mod rebuild;
mod relabel;
mod scattered;
mod seal_files;
mod set_aside;
mod squeeze;
mod stock;
mod without_spare;
mod writer;

pub(crate) use block_file_writer::Run;
pub(crate) use parts::files_in;
pub use parts::{Opener, Parts};
pub use reader::PackedTrunk;
pub use rebuild::{Rebuilt, rebuild};
pub(crate) use relabel::relabel_hurt;
pub use relabel::{lacks_label, relabel};
pub use seal_files::{Resealed, mend_seal, seal_damage};
pub(crate) use set_aside::set_aside;
pub(crate) use stock::Known;
pub use writer::{PACK_SIZES_IN_BYTES, PackedOptions, PackedTrunkWriter, Seal};
