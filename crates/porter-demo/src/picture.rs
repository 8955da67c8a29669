//! Real little pictures: a kite over the marsh, as PNG.

use crate::dice::Dice;

/// Draws a picture of that size; its bytes are a PNG file.
pub fn png(name: &str, width: u32, height: u32) -> Vec<u8> {
    let mut dice = Dice::named(name);
    let pixels = draw(&mut dice, width, height);
    let mut file = Vec::new();
    let mut encoder = png::Encoder::new(&mut file, width, height);
    encoder.set_color(png::ColorType::Rgb);
    encoder.set_compression(png::Compression::Fastest);
    // Writing to memory with a matching number of pixels cannot fail.
    if let Ok(mut writer) = encoder.write_header() {
        let _ = writer.write_image_data(&pixels);
    }
    file
}

/// Red, green and blue of each pixel, row by row: sky, marsh, a kite, and the grain of a cheap camera.
pub fn draw(dice: &mut Dice, width: u32, height: u32) -> Vec<u8> {
    let (width, height) = (i64::from(width), i64::from(height));
    let horizon = height * 2 / 3 + (dice.below(21) as i64 - 10);
    let (kite_x, kite_y) =
        (width / 4 + dice.below(width as usize / 2) as i64, height / 4 + dice.below(20) as i64);
    let size = height / 8 + dice.below(12) as i64;
    let kite = [dice.below(256) as i64, dice.below(256) as i64, dice.below(256) as i64];
    let mut pixels = Vec::with_capacity((width * height * 3) as usize);
    for y in 0..height {
        for x in 0..width {
            let grain = (dice.roll() & 0x1f) as i64;
            let inside_kite = (x - kite_x).abs() + (y - kite_y).abs() < size;
            let colour = if inside_kite {
                kite
            } else if y < horizon {
                [110 + y * 80 / horizon, 150 + y * 60 / horizon, 215]
            } else {
                [90 + (y - horizon) / 2, 120, 70]
            };
            pixels.extend(colour.map(|c| (c + grain).clamp(0, 255) as u8));
        }
    }
    pixels
}
