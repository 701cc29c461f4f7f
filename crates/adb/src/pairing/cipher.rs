//! What seals the second half of a pairing: AES-128-GCM under a key from the exchange, with one counter each way.

use aes_gcm::aead::{Aead as _, KeyInit as _};
use aes_gcm::{Aes128Gcm, Nonce};
use hkdf::Hkdf;
use sha2::Sha256;

use super::spake2::KEY_LEN;

const INFO: &[u8] = b"adb pairing_auth aes-128-gcm key";

/// Bytes that sealing adds.
pub const SEAL_LEN: usize = 16;

/// Seals and opens the messages of one pairing.
pub struct PairingCipher {
    aes: Aes128Gcm,
    sealed: u64,
    opened: u64,
}

impl std::fmt::Debug for PairingCipher {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("PairingCipher").finish_non_exhaustive()
    }
}

impl PairingCipher {
    /// The cipher of a key that both sides agreed on.
    pub fn new(key: &[u8; KEY_LEN]) -> Self {
        Self { aes: Aes128Gcm::new(&derived(key).into()), sealed: 0, opened: 0 }
    }

    /// Seals a message. `None` for one of more than 64 GiB, which there is not.
    pub fn seal(&mut self, plain: &[u8]) -> Option<Vec<u8>> {
        let sealed = self.aes.encrypt(&nonce(self.sealed), plain).ok()?;
        self.sealed += 1;
        Some(sealed)
    }

    /// Opens a message; `None` when it was not sealed under the same key, which means another code.
    pub fn open(&mut self, sealed: &[u8]) -> Option<Vec<u8>> {
        let plain = self.aes.decrypt(&nonce(self.opened), sealed).ok()?;
        self.opened += 1;
        Some(plain)
    }
}

fn derived(key: &[u8; KEY_LEN]) -> [u8; 16] {
    let mut out = [0; 16];
    #[expect(clippy::expect_used, reason = "16 bytes are fewer than HKDF can give")]
    Hkdf::<Sha256>::new(None, key).expand(INFO, &mut out).expect("a short key");
    out
}

fn nonce(counter: u64) -> Nonce<aes_gcm::aead::consts::U12> {
    let mut bytes = [0; 12];
    bytes[..8].copy_from_slice(&counter.to_le_bytes());
    bytes.into()
}

#[cfg(test)]
mod tests {
    use super::*;

    const VECTORS: &str = include_str!("../../tests/pairing-cipher-vectors.txt");

    fn field(name: &str) -> Vec<u8> {
        let hex = VECTORS.lines().find_map(|l| l.strip_prefix(name)).unwrap().trim();
        (0..hex.len()).step_by(2).map(|i| u8::from_str_radix(&hex[i..i + 2], 16).unwrap()).collect()
    }

    #[test]
    fn key_and_packets_fit_the_vectors() {
        let key: [u8; KEY_LEN] = field("spake2_key ").try_into().unwrap();
        assert_eq!(derived(&key).to_vec(), field("aes_key "));
        let (mut one, mut other) = (PairingCipher::new(&key), PairingCipher::new(&key));
        for n in 0..3 {
            let (plain, sealed) = (field(&format!("plain_{n} ")), field(&format!("sealed_{n} ")));
            assert_eq!(one.seal(&plain).unwrap(), sealed);
            assert_eq!(other.open(&sealed).unwrap(), plain);
        }
    }

    #[test]
    fn what_was_changed_does_not_open_and_does_not_count() {
        let mut cipher = PairingCipher::new(&[7; KEY_LEN]);
        let sealed = PairingCipher::new(&[7; KEY_LEN]).seal(b"hello").unwrap();
        for at in 0..sealed.len() {
            let mut changed = sealed.clone();
            changed[at] ^= 1;
            assert_eq!(cipher.open(&changed), None);
            assert_eq!(cipher.open(&sealed[..at]), None);
        }
        assert_eq!(cipher.open(&sealed).unwrap(), b"hello");
    }
}
