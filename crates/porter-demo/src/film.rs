//! A real film without sound: uncompressed frames in an AVI file (RIFF, as described in *AVI RIFF File
//! Reference*).

use crate::dice::Dice;
use crate::picture::draw;

const WIDTH: u32 = 160;
const HEIGHT: u32 = 120;
const FRAMES_PER_SECOND: u32 = 10;

/// Some frames; the bytes are an AVI file.
pub fn avi(name: &str, frames: u32) -> Vec<u8> {
    let mut dice = Dice::named(name);
    let frame_length = WIDTH * HEIGHT * 3;
    let mut movie = b"movi".to_vec();
    for _ in 0..frames {
        movie.extend(chunk(b"00db", &draw(&mut dice, WIDTH, HEIGHT)));
    }
    let main_header = words(&[
        1_000_000 / FRAMES_PER_SECOND,
        frame_length * FRAMES_PER_SECOND,
        0,
        0,
        frames,
        0,
        1,
        frame_length,
        WIDTH,
        HEIGHT,
        0,
        0,
        0,
        0,
    ]);
    let mut stream_header = b"vidsDIB ".to_vec();
    stream_header.extend(words(&[0, 0, 0, 1, FRAMES_PER_SECOND, 0, frames, frame_length, 0, 0, 0, 0]));
    // Size of this header, width, height, one plane and 24 bits, no compression, size of a frame.
    let frame_format = words(&[40, WIDTH, HEIGHT, 1 | (24 << 16), 0, frame_length, 0, 0, 0, 0]);

    let stream = [b"strl".to_vec(), chunk(b"strh", &stream_header), chunk(b"strf", &frame_format)].concat();
    let headers = [b"hdrl".to_vec(), chunk(b"avih", &main_header), chunk(b"LIST", &stream)].concat();
    let body = [b"AVI ".to_vec(), chunk(b"LIST", &headers), chunk(b"LIST", &movie)].concat();
    chunk(b"RIFF", &body)
}

fn chunk(id: &[u8; 4], content: &[u8]) -> Vec<u8> {
    let length = u32::try_from(content.len()).unwrap_or(u32::MAX);
    let mut chunk = [id.as_slice(), &length.to_le_bytes(), content].concat();
    if !chunk.len().is_multiple_of(2) {
        chunk.push(0);
    }
    chunk
}

fn words(words: &[u32]) -> Vec<u8> {
    words.iter().flat_map(|word| word.to_le_bytes()).collect()
}
