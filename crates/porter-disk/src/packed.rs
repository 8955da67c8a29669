//! The ways in which Windows compresses contents on a volume. Each takes a piece that stands by itself, and
//! never makes more of it than it is told.

mod huffman;
pub mod lznt1;
pub mod lzx;
pub mod xpress;
