//! Real sound: the hum of kite lines in the wind, as WAV (RIFF, PCM, 16 bit, mono).

use crate::dice::Dice;

const SAMPLES_PER_SECOND: u32 = 22_050;

/// Some seconds of hum; the bytes are a WAV file.
pub fn wav(name: &str, seconds: u32) -> Vec<u8> {
    let mut dice = Dice::named(name);
    let pitch = 80.0 + dice.below(200) as f64;
    let samples = SAMPLES_PER_SECOND * seconds;
    let data_length = samples * 2;
    let mut file = Vec::with_capacity(44 + data_length as usize);
    file.extend_from_slice(b"RIFF");
    file.extend_from_slice(&(36 + data_length).to_le_bytes());
    file.extend_from_slice(b"WAVEfmt ");
    file.extend_from_slice(&16_u32.to_le_bytes());
    // PCM, one channel.
    file.extend_from_slice(&[1, 0, 1, 0]);
    file.extend_from_slice(&SAMPLES_PER_SECOND.to_le_bytes());
    file.extend_from_slice(&(SAMPLES_PER_SECOND * 2).to_le_bytes());
    // Two bytes a sample, 16 bits.
    file.extend_from_slice(&[2, 0, 16, 0]);
    file.extend_from_slice(b"data");
    file.extend_from_slice(&data_length.to_le_bytes());
    for sample in 0..samples {
        let time = f64::from(sample) / f64::from(SAMPLES_PER_SECOND);
        let gust = 0.6 + 0.4 * (time * 0.7).sin();
        let tone = (time * pitch * std::f64::consts::TAU).sin() * gust * 9000.0;
        let noise = (dice.roll() & 0x3ff) as f64 - 512.0;
        file.extend_from_slice(&((tone + noise) as i16).to_le_bytes());
    }
    file
}
