//! Numbers for tests that are the same in every run: BLAKE3's output for a seed, read on and on.

use std::convert::Infallible;

use hpke::rand_core::{TryCryptoRng, TryRng};

pub(crate) struct Dice(blake3::OutputReader);

impl Dice {
    pub(crate) fn of(seed: u64) -> Self {
        Self(blake3::Hasher::new().update(&seed.to_be_bytes()).finalize_xof())
    }

    pub(crate) fn bytes<const N: usize>(&mut self) -> [u8; N] {
        let mut out = [0; N];
        self.0.fill(&mut out);
        out
    }
}

impl TryRng for Dice {
    type Error = Infallible;

    fn try_next_u32(&mut self) -> Result<u32, Infallible> {
        Ok(u32::from_be_bytes(self.bytes()))
    }

    fn try_next_u64(&mut self) -> Result<u64, Infallible> {
        Ok(u64::from_be_bytes(self.bytes()))
    }

    fn try_fill_bytes(&mut self, out: &mut [u8]) -> Result<(), Infallible> {
        self.0.fill(out);
        Ok(())
    }
}

impl TryCryptoRng for Dice {}
