//! The password-authenticated key exchange of pairing: SPAKE2 over Ed25519 in the form of the BoringSSL library, which
//! is not that of RFC 9382. Differences that matter: M and N are points with torsion, found by hashing a seed until it
//! decodes; secret scalars are cleared of the cofactor; the transcript is hashed with 64-bit little-endian lengths.

use curve25519_dalek::edwards::{CompressedEdwardsY, EdwardsPoint};
use curve25519_dalek::scalar::Scalar;
use sha2::{Digest as _, Sha512};

/// Bytes of a message.
pub const MESSAGE_LEN: usize = 32;
/// Bytes of the key that both sides end up with.
pub const KEY_LEN: usize = 64;

/// M and N, encoded. Published in the library's source; they follow from the seeds
/// `edwards25519 point generation seed (M)` and `… (N)`, which a test does again.
const M: [u8; 32] = unhex(b"5ada7e4bf6ddd9adb6626d32131c6b5c51a1e347a3478f53cfcf441b88eed12e");
const N: [u8; 32] = unhex(b"10e3df0ae37d8e7a99b5fe74b44672103dbddcbd06af680d71329a11693bc778");

const HOST_NAME: &[u8] = b"adb pair client\0";
const DEVICE_NAME: &[u8] = b"adb pair server\0";

/// Whose part is played.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Role {
    /// The computer that wants to be paired.
    Host,
    /// The device that shows the code.
    Device,
}

/// One side of an exchange, from its first message to the key.
pub struct Spake2 {
    role: Role,
    secret: Scalar,
    /// The password as a scalar divided by 8, in the group of prime order.
    password: Scalar,
    password_hash: [u8; 64],
    message: [u8; MESSAGE_LEN],
}

impl std::fmt::Debug for Spake2 {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("Spake2").field("role", &self.role).finish_non_exhaustive()
    }
}

impl Spake2 {
    /// Begins an exchange. `seed` has to come from a secure random source and is used once.
    pub fn new(role: Role, password: &[u8], seed: &[u8; 64]) -> Self {
        let password_hash: [u8; 64] = Sha512::digest(password).into();
        // The library multiplies M by w + k·l, which is divisible by 8; in the group of prime order
        // that is 8M times w/8.
        let eight = Scalar::from(8u8);
        let password = Scalar::from_bytes_mod_order_wide(&password_hash) * eight.invert();
        let secret = Scalar::from_bytes_mod_order_wide(seed);
        let mask = mask_point(match role {
            Role::Host => &M,
            Role::Device => &N,
        }) * password;
        let message = (EdwardsPoint::mul_base(&(secret * eight)) + mask).compress().to_bytes();
        Self { role, secret, password, password_hash, message }
    }

    /// What the other side is to be sent.
    pub fn message(&self) -> &[u8; MESSAGE_LEN] {
        &self.message
    }

    /// Takes the other side's message; the shared key. `None` when the message is no point of the curve. A wrong
    /// password gives a key all the same, but not the other side's.
    pub fn finish(self, theirs: &[u8]) -> Option<[u8; KEY_LEN]> {
        let bytes: [u8; MESSAGE_LEN] = theirs.try_into().ok()?;
        let point = CompressedEdwardsY(bytes).decompress()?;
        let mask = mask_point(match self.role {
            Role::Host => &N,
            Role::Device => &M,
        }) * self.password;
        // The secret is a multiple of the cofactor, so any torsion of the other side's point goes.
        let shared = (point - mask).mul_by_cofactor() * self.secret;
        let (host, device) = match self.role {
            Role::Host => (&self.message, &bytes),
            Role::Device => (&bytes, &self.message),
        };
        let mut hash = Sha512::new();
        for part in [HOST_NAME, DEVICE_NAME, host, device, &shared.compress().to_bytes(), &self.password_hash] {
            hash.update((part.len() as u64).to_le_bytes());
            hash.update(part);
        }
        Some(hash.finalize().into())
    }
}

/// M or N without its torsion, times 8.
fn mask_point(encoded: &[u8; 32]) -> EdwardsPoint {
    #[expect(clippy::expect_used, reason = "two constants, and a test decodes both")]
    CompressedEdwardsY(*encoded).decompress().expect("M and N are points").mul_by_cofactor()
}

const fn unhex(text: &[u8; 64]) -> [u8; 32] {
    const fn digit(c: u8) -> u8 {
        match c {
            b'0'..=b'9' => c - b'0',
            _ => c - b'a' + 10,
        }
    }
    let mut out = [0; 32];
    let mut i = 0;
    while i < 32 {
        out[i] = digit(text[2 * i]) << 4 | digit(text[2 * i + 1]);
        i += 1;
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    /// Made with the library that defines this form, its random source replaced by the seeds.
    const VECTORS: &str = include_str!("../../tests/spake2-vectors.txt");

    fn bytes(hex: &str) -> Vec<u8> {
        (0..hex.len()).step_by(2).map(|i| u8::from_str_radix(&hex[i..i + 2], 16).unwrap()).collect()
    }

    #[test]
    fn m_and_n_follow_from_their_seeds() {
        for (letter, point) in [("M", M), ("N", N)] {
            let mut hash: [u8; 32] =
                sha2::Sha256::digest(format!("edwards25519 point generation seed ({letter})")).into();
            while CompressedEdwardsY(hash).decompress().is_none() {
                hash = sha2::Sha256::digest(hash).into();
            }
            assert_eq!(hash, point, "{letter}");
        }
    }

    #[test]
    fn messages_and_keys_fit_the_vectors() {
        let mut count = 0;
        for block in VECTORS.split("\n\n").filter(|b| b.contains("seed_alice")) {
            let field = |name: &str| bytes(block.lines().find_map(|l| l.strip_prefix(name)).unwrap().trim());
            let seed = |name: &str| <[u8; 64]>::try_from(field(name)).unwrap();
            let host = Spake2::new(Role::Host, &field("password "), &seed("seed_alice "));
            let device = Spake2::new(Role::Device, &field("password "), &seed("seed_bob "));
            assert_eq!(host.message().to_vec(), field("alice_msg "));
            assert_eq!(device.message().to_vec(), field("bob_msg "));
            let (to_host, to_device) = (*device.message(), *host.message());
            assert_eq!(host.finish(&to_host).unwrap().to_vec(), field("key "));
            assert_eq!(device.finish(&to_device).unwrap().to_vec(), field("key "));
            count += 1;
        }
        assert_eq!(count, 4);
    }

    #[test]
    fn another_password_gives_another_key() {
        let host = Spake2::new(Role::Host, b"123456", &[1; 64]);
        let device = Spake2::new(Role::Device, b"123457", &[2; 64]);
        let (a, b) = (*host.message(), *device.message());
        assert_ne!(host.finish(&b), device.finish(&a));
    }

    proptest! {
        #[test]
        fn any_bytes_give_a_key_or_none(theirs in proptest::collection::vec(any::<u8>(), 0..40)) {
            let done = Spake2::new(Role::Host, b"1", &[3; 64]).finish(&theirs);
            prop_assert!(theirs.len() == MESSAGE_LEN || done.is_none());
        }
    }
}
