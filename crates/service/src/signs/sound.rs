//! A soft sound at each copy: two short tones, made here, played by whatever the desktop has for it.

use std::path::PathBuf;
use std::process::Stdio;
use std::time::{Duration, Instant};

use tokio::process::Command;

use crate::home::place::write_private;
use crate::state::app::Shared;

/// Samples a second.
const RATE: u32 = 22_050;
/// The two tones, in Hertz, and how long each is, in seconds.
const TONES: [f32; 2] = [587.33, 880.0];
const LONG: f32 = 0.055;
/// Of what is possible.
const LOUD: f32 = 0.18;
/// Not more often than this, and not longer.
const APART: Duration = Duration::from_millis(400);
const MOST: Duration = Duration::from_secs(5);
/// Programs that play a file, and their words.
const PLAYERS: [(&str, &[&str]); 4] =
    [("pw-play", &[]), ("paplay", &[]), ("aplay", &["-q"]), ("play", &["-q"])];

/// Who plays it.
#[derive(Debug)]
pub(super) struct Sound {
    file: PathBuf,
    last: Option<Instant>,
    /// That nothing can play it was told.
    told: bool,
}

impl Sound {
    pub(super) fn at(file: PathBuf) -> Self {
        Self { file, last: None, told: false }
    }

    /// Plays it, unless it was played just now.
    pub(super) fn play(&mut self, app: &Shared) {
        if self.last.is_some_and(|last| last.elapsed() < APART) {
            return;
        }
        self.last = Some(Instant::now());
        if !self.file.exists()
            && let Err(why) = write_private(&self.file, &wave())
        {
            tracing::warn!("no sound: {why}");
            return;
        }
        for (player, words) in PLAYERS {
            let mut command = Command::new(player);
            command.args(words).arg(&self.file).kill_on_drop(true);
            command.stdin(Stdio::null()).stdout(Stdio::null()).stderr(Stdio::null());
            if let Ok(mut child) = command.spawn() {
                app.parts.start("the sound", async move {
                    // One that hangs is ended with its handle.
                    let _ = tokio::time::timeout(MOST, child.wait()).await;
                });
                return;
            }
        }
        if !std::mem::replace(&mut self.told, true) {
            tracing::warn!("no sound: none of pw-play, paplay, aplay and play is installed");
        }
    }
}

/// The sound as a file (RIFF WAVE, PCM of 16 bits, one channel).
fn wave() -> Vec<u8> {
    let mut samples = Vec::new();
    for tone in TONES {
        #[allow(
            clippy::cast_possible_truncation,
            clippy::cast_sign_loss,
            clippy::cast_precision_loss,
            reason = "some thousands"
        )]
        let count = (LONG * RATE as f32) as u32;
        for n in 0..count {
            #[allow(clippy::cast_precision_loss, reason = "some thousands")]
            let (at, part) = (n as f32 / RATE as f32, n as f32 / count as f32);
            // It comes and goes without a click.
            let swell = (part * std::f32::consts::PI).sin();
            let value = (at * tone * std::f32::consts::TAU).sin() * swell * LOUD;
            #[allow(clippy::cast_possible_truncation, reason = "between -1 and 1")]
            samples.extend(((value * f32::from(i16::MAX)) as i16).to_le_bytes());
        }
    }
    let size = u32::try_from(samples.len()).unwrap_or(0);
    let mut file = Vec::new();
    file.extend(b"RIFF");
    file.extend((36 + size).to_le_bytes());
    file.extend(b"WAVEfmt ");
    file.extend(16u32.to_le_bytes());
    file.extend([1u16, 1].iter().flat_map(|one| one.to_le_bytes()));
    file.extend([RATE, RATE * 2].iter().flat_map(|one| one.to_le_bytes()));
    file.extend([2u16, 16].iter().flat_map(|one| one.to_le_bytes()));
    file.extend(b"data");
    file.extend(size.to_le_bytes());
    file.extend(samples);
    file
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_sound_is_short_soft_and_a_whole_file() {
        let file = wave();
        let number = |at: usize| u32::from_le_bytes([file[at], file[at + 1], file[at + 2], file[at + 3]]);
        assert_eq!(number(4) as usize, file.len() - 8);
        assert_eq!(number(40) as usize, file.len() - 44);
        assert!((file.len() - 44) / 2 < RATE as usize / 5, "longer than a fifth of a second");
        let loudest =
            file[44..].chunks_exact(2).map(|two| i16::from_le_bytes([two[0], two[1]]).unsigned_abs()).max();
        assert!(loudest.is_some_and(|loudest| (1_000..8_000).contains(&loudest)), "{loudest:?}");
    }
}
