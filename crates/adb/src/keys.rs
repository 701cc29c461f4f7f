//! The keys by which a device knows this computer.
//!
//! A key is RSA-2048, stored as PKCS#8 PEM. A device is given the public half in a layout of its
//! own (524 bytes: words, n0inv, modulus and rr as little-endian words, exponent), in base64, with
//! a `user@host` remark behind it. A device sends a token of 20 bytes and expects a PKCS#1 v1.5
//! signature over it as if it were a SHA-1 digest.

use rustls::pki_types::{CertificateDer, PrivateKeyDer, PrivatePkcs8KeyDer};
use std::fs;
use std::io::Write as _;
use std::path::{Path, PathBuf};

use base64::Engine as _;
use base64::engine::general_purpose::STANDARD as BASE64;
use rsa::pkcs8::{DecodePrivateKey as _, EncodePrivateKey as _, LineEnding};
use rsa::traits::PublicKeyParts as _;
use rsa::{BigUint, Pkcs1v15Sign, RsaPrivateKey, RsaPublicKey};
use sha1::Sha1;
use thiserror::Error;

/// Bytes of a token.
pub const TOKEN_LEN: usize = 20;
const BITS: usize = 2048;
/// How long another program that makes the key at the same time is waited for.
const MAKING: std::time::Duration = std::time::Duration::from_secs(60);
const WORDS: usize = BITS / 32;
const ENCODED_LEN: usize = 4 + 4 + WORDS * 4 * 2 + 4;

/// Why a key cannot be used.
#[derive(Debug, Error)]
pub enum KeyError {
    /// The file could not be read or written.
    #[error("the key {path} could not be {done}: {why}")]
    File {
        /// The file.
        path: PathBuf,
        /// "read" or "written".
        done: &'static str,
        /// What the system said.
        why: std::io::Error,
    },
    /// The file holds no key of the right kind.
    #[error("{path} does not hold an RSA-2048 key in PKCS#8 PEM: {why}. Move it away and Wibbet makes a new one")]
    Content {
        /// The file.
        path: PathBuf,
        /// What is wrong.
        why: String,
    },
    /// The arithmetic failed.
    #[error("the key could not be made or used: {0}")]
    Rsa(#[from] rsa::Error),
    /// No certificate could be made for it.
    #[error("no certificate could be made for the key: {0}")]
    Certificate(String),
    /// A public key line does not follow its layout.
    #[error("not a public key of a debugging host: {0}")]
    Line(&'static str),
}

/// A key pair of this computer.
#[derive(Clone)]
pub struct HostKey {
    private: RsaPrivateKey,
    remark: String,
}

impl std::fmt::Debug for HostKey {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("HostKey").field("remark", &self.remark).finish_non_exhaustive()
    }
}

impl HostKey {
    /// Makes a new key. `remark` is what the device keeps beside it, customarily `user@host`.
    pub fn generate(remark: &str) -> Result<Self, KeyError> {
        let private = RsaPrivateKey::new(&mut rsa::rand_core::OsRng, BITS)?;
        Ok(Self { private, remark: clean_remark(remark) })
    }

    /// Reads a key from PKCS#8 PEM; `path` is for messages only.
    pub fn from_pem(pem: &str, remark: &str, path: &Path) -> Result<Self, KeyError> {
        let content = |why: String| KeyError::Content { path: path.into(), why };
        let private = RsaPrivateKey::from_pkcs8_pem(pem).map_err(|e| content(e.to_string()))?;
        if private.n().bits() != BITS {
            return Err(content(format!("the key has {} bits", private.n().bits())));
        }
        Ok(Self { private, remark: clean_remark(remark) })
    }

    /// Reads a key file.
    pub fn load(path: &Path, remark: &str) -> Result<Self, KeyError> {
        let pem = fs::read_to_string(path).map_err(|why| KeyError::File { path: path.into(), done: "read", why })?;
        Self::from_pem(&pem, remark, path)
    }

    /// Writes the key so that nobody else can read it, whole under its name or not at all. Whoever calls holds the lock of the folder's keys.
    fn store(&self, path: &Path) -> Result<(), KeyError> {
        let failed = |why| KeyError::File { path: path.into(), done: "written", why };
        let pem = self
            .private
            .to_pkcs8_pem(LineEnding::LF)
            .map_err(|e| KeyError::Content { path: path.into(), why: e.to_string() })?;
        let draft = path.with_extension("draft");
        // One may be left of a program that ended while it wrote.
        let _ = fs::remove_file(&draft);
        let written = write_new(&draft, &pem).and_then(|()| fs::rename(&draft, path));
        if written.is_err() {
            let _ = fs::remove_file(&draft);
        }
        sync_folder(path);
        written.map_err(failed)
    }

    /// Makes the key at `path`, unless another program does so at the same time: both end up with the same one. Needs no hard links, which
    /// apps on a phone may not make and some file systems do not have.
    fn make_once(path: &Path, remark: &str) -> Result<(), KeyError> {
        let failed = |why| KeyError::File { path: path.into(), done: "written", why };
        if let Some(folder) = path.parent() {
            wibbet_types::private_folder(folder).map_err(failed)?;
        }
        let lock_path = path.with_extension("lock");
        wibbet_types::private_file(&lock_path).map_err(failed)?;
        let lock = fs::File::options().write(true).open(&lock_path).map_err(failed)?;
        // Where the file system knows no locks, two programs that are started for the first time within the same second could each make
        // a key; the later one stays, and a device that has taken the other asks again.
        // Making one takes a second or so; a program that was halted in the middle of it is not waited for without end.
        let until = std::time::Instant::now() + MAKING;
        loop {
            match lock.try_lock() {
                Err(fs::TryLockError::WouldBlock) if std::time::Instant::now() < until => {
                    std::thread::sleep(std::time::Duration::from_millis(20));
                }
                Err(fs::TryLockError::Error(why)) if why.kind() != std::io::ErrorKind::Unsupported => {
                    return Err(failed(why));
                }
                _ => break,
            }
            if path.exists() {
                return Ok(());
            }
        }
        if path.exists() { Ok(()) } else { Self::generate(remark)?.store(path) }
    }

    /// Signs a device's token. The key is blinded with random numbers, so that how long it takes tells whoever chose the
    /// token nothing about the key.
    pub fn sign(&self, token: &[u8; TOKEN_LEN]) -> Result<Vec<u8>, KeyError> {
        Ok(self.private.sign_with_rng(&mut rsa::rand_core::OsRng, Pkcs1v15Sign::new::<Sha1>(), token)?)
    }

    /// The key as PKCS#8 DER, for a certificate.
    pub(crate) fn pkcs8(&self) -> Result<Vec<u8>, KeyError> {
        let der = self.private.to_pkcs8_der().map_err(|e| KeyError::Certificate(e.to_string()))?;
        Ok(der.as_bytes().to_vec())
    }

    /// A certificate for the key, signed with it, and the key itself; both DER. This is what a device sees of the
    /// computer in wireless debugging.
    pub fn certificate(&self) -> Result<(Vec<u8>, Vec<u8>), KeyError> {
        let (certificate, _) = certificate(self)?;
        Ok((certificate.to_vec(), self.pkcs8()?))
    }

    /// The public half.
    pub fn public(&self) -> PublicKey {
        PublicKey { key: self.private.to_public_key(), remark: self.remark.clone() }
    }
}

/// Writes a file that was not there, for its owner only. It has reached the disk when this returns.
fn write_new(path: &Path, text: &str) -> std::io::Result<()> {
    let mut file = wibbet_types::new_private_file(path)?;
    file.write_all(text.as_bytes())?;
    file.sync_all()
}

/// A new name in a folder has reached the disk when this returns, where the file system can be asked for that; some refuse,
/// and the key is of use all the same.
fn sync_folder(path: &Path) {
    #[cfg(unix)]
    if let Some(folder) = path.parent().filter(|f| !f.as_os_str().is_empty()) {
        let _ = fs::File::open(folder).and_then(|folder| folder.sync_all());
    }
    #[cfg(not(unix))]
    let _ = path;
}

/// The public half of a host's key.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct PublicKey {
    key: RsaPublicKey,
    remark: String,
}

impl PublicKey {
    /// The line that a device is given, without a terminating zero byte.
    pub fn line(&self) -> String {
        format!("{} {}", BASE64.encode(self.encode()), self.remark)
    }

    /// Reads a line as a host sends it, with or without the zero byte.
    pub fn from_line(line: &[u8]) -> Result<Self, KeyError> {
        let text = std::str::from_utf8(line).map_err(|_| KeyError::Line("it is not text"))?;
        let text = text.trim_end_matches('\0');
        let (key, remark) = text.split_once(' ').unwrap_or((text, ""));
        let bytes = BASE64.decode(key).map_err(|_| KeyError::Line("it is not base64"))?;
        if bytes.len() != ENCODED_LEN {
            return Err(KeyError::Line("it is not 524 bytes long"));
        }
        let word = |at: usize| u32::from_le_bytes([bytes[at], bytes[at + 1], bytes[at + 2], bytes[at + 3]]);
        if word(0) as usize != WORDS {
            return Err(KeyError::Line("it is not an RSA-2048 key"));
        }
        let modulus = BigUint::from_bytes_le(&bytes[8..8 + WORDS * 4]);
        let exponent = BigUint::from(word(ENCODED_LEN - 4));
        let key = RsaPublicKey::new(modulus, exponent)?;
        let decoded = Self { key, remark: remark.to_owned() };
        if decoded.encode() != bytes {
            return Err(KeyError::Line("its parts do not fit one another"));
        }
        Ok(decoded)
    }

    /// Reads the key of a certificate (DER, `SubjectPublicKeyInfo`), which has no remark.
    pub fn from_spki(der: &[u8]) -> Result<Self, KeyError> {
        use rsa::pkcs8::DecodePublicKey as _;
        let key = RsaPublicKey::from_public_key_der(der).map_err(|_| KeyError::Line("it is not an RSA key"))?;
        if key.n().bits() != BITS {
            return Err(KeyError::Line("it is not an RSA-2048 key"));
        }
        Ok(Self { key, remark: String::new() })
    }

    /// The 524 bytes of the layout.
    fn encode(&self) -> Vec<u8> {
        let n = self.key.n();
        let mut out = Vec::with_capacity(ENCODED_LEN);
        out.extend_from_slice(&(WORDS as u32).to_le_bytes());
        out.extend_from_slice(&negative_inverse(n).to_le_bytes());
        let little = |number: &BigUint, out: &mut Vec<u8>| {
            let mut bytes = number.to_bytes_le();
            bytes.resize(WORDS * 4, 0);
            out.extend_from_slice(&bytes);
        };
        little(n, &mut out);
        little(&((BigUint::from(1u8) << (BITS * 2)) % n), &mut out);
        let exponent = self.key.e().to_bytes_le();
        let mut word = [0; 4];
        word[..exponent.len().min(4)].copy_from_slice(&exponent[..exponent.len().min(4)]);
        out.extend_from_slice(&word);
        out
    }

    /// Whether the signature over a token was made with this key.
    pub fn verify(&self, token: &[u8; TOKEN_LEN], signature: &[u8]) -> bool {
        self.key.verify(Pkcs1v15Sign::new::<Sha1>(), token, signature).is_ok()
    }

    /// The fingerprint as a device shows it in its dialog: MD5 of the 524 bytes, in hex pairs.
    pub fn fingerprint(&self) -> String {
        use md5::Digest as _;
        let digest = md5::Md5::digest(self.encode());
        digest.iter().map(|b| format!("{b:02X}")).collect::<Vec<_>>().join(":")
    }
}

/// −n⁻¹ modulo 2³², by Newton's iteration, which doubles the right bits each time.
fn negative_inverse(n: &BigUint) -> u32 {
    let bytes = n.to_bytes_le();
    let low = bytes.iter().take(4).enumerate().fold(0u32, |w, (i, b)| w | u32::from(*b) << (8 * i));
    let mut inverse = 1u32;
    for _ in 0..5 {
        inverse = inverse.wrapping_mul(2u32.wrapping_sub(low.wrapping_mul(inverse)));
    }
    inverse.wrapping_neg()
}

fn clean_remark(remark: &str) -> String {
    remark.chars().filter(|c| c.is_ascii_graphic()).take(100).collect()
}

/// The keys of this computer, in the order in which they are tried.
#[derive(Debug, Clone)]
pub struct KeyRing {
    own: HostKey,
    others: Vec<HostKey>,
}

impl KeyRing {
    /// The name of Wibbet's own key in its configuration folder.
    pub const OWN: &'static str = "host-key.pem";

    /// Opens Wibbet's own key in `folder`, making it at first use (which takes a second or so),
    /// and takes the platform's customary key along where `customary` names a readable one: a
    /// device that trusts it needs no new dialog. A customary key that cannot be read is left out.
    pub fn open(folder: &Path, customary: Option<&Path>, remark: &str) -> Result<Self, KeyError> {
        let path = folder.join(Self::OWN);
        if !path.exists() {
            HostKey::make_once(&path, remark)?;
        }
        let own = HostKey::load(&path, remark)?;
        let others = customary.and_then(|path| HostKey::load(path, remark).ok()).into_iter().collect();
        Ok(Self { own, others })
    }

    /// A ring of one key.
    pub fn of(own: HostKey) -> Self {
        Self { own, others: Vec::new() }
    }

    /// The key that a device is asked to accept.
    pub fn own(&self) -> &HostKey {
        &self.own
    }

    /// Every key, own first.
    pub fn all(&self) -> impl Iterator<Item = &HostKey> {
        std::iter::once(&self.own).chain(&self.others)
    }
}

/// A certificate for a key, signed with that key; DER.
pub(crate) fn certificate(key: &HostKey) -> Result<(CertificateDer<'static>, PrivateKeyDer<'static>), KeyError> {
    let der = PrivatePkcs8KeyDer::from(key.pkcs8()?);
    let made = rcgen::KeyPair::from_pkcs8_der_and_sign_algo(&der, &rcgen::PKCS_RSA_SHA256).and_then(|pair| {
        let mut parameters = rcgen::CertificateParams::default();
        parameters.distinguished_name = rcgen::DistinguishedName::new();
        parameters.distinguished_name.push(rcgen::DnType::CommonName, "wibbet");
        parameters.self_signed(&pair)
    });
    let certificate = made.map_err(|e| KeyError::Certificate(e.to_string()))?;
    Ok((certificate.der().clone(), PrivateKeyDer::Pkcs8(der)))
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Made with a general cryptography library, independent of this code.
    const VECTORS: &str = include_str!("../tests/key-vectors.txt");
    const PEM: &str = include_str!("../tests/key.pem");

    fn field(name: &str) -> &'static str {
        let line = VECTORS.lines().find_map(|l| l.strip_prefix(name)).unwrap();
        line.trim()
    }

    fn unhex(text: &str) -> Vec<u8> {
        (0..text.len()).step_by(2).map(|i| u8::from_str_radix(&text[i..i + 2], 16).unwrap()).collect()
    }

    fn key() -> HostKey {
        HostKey::from_pem(PEM, "test@bench", Path::new("vector")).unwrap()
    }

    #[test]
    fn the_public_line_fits_the_vector_and_reads_back() {
        let line = key().public().line();
        assert_eq!(line, format!("{} test@bench", field("public_key_base64 ")));
        assert_eq!(PublicKey::from_line(format!("{line}\0").as_bytes()).unwrap(), key().public());
    }

    #[test]
    fn the_signature_fits_the_vector() {
        let token: [u8; TOKEN_LEN] = unhex(field("token ")).try_into().unwrap();
        let signature = key().sign(&token).unwrap();
        assert_eq!(signature, unhex(field("signature ")));
        assert!(key().public().verify(&token, &signature));
        assert!(!key().public().verify(&[0; TOKEN_LEN], &signature));
        assert!(!key().public().verify(&token, &signature[1..]));
    }

    #[test]
    fn broken_lines_are_refused() {
        let line = key().public().line().into_bytes();
        for n in 0..line.len() - " test@bench".len() {
            assert!(PublicKey::from_line(&line[..n]).is_err(), "cut at {n}");
        }
        for at in [0, 6, 100, 500, 690] {
            let mut changed = line.clone();
            changed[at] = if changed[at] == b'B' { b'C' } else { b'B' };
            assert!(PublicKey::from_line(&changed).is_err(), "changed at {at}");
        }
        assert!(PublicKey::from_line(&[0xff; 700]).is_err());
    }

    /// What lies in a folder.
    fn names(folder: &Path) -> Vec<String> {
        let mut names: Vec<String> =
            fs::read_dir(folder).unwrap().map(|e| e.unwrap().file_name().into_string().unwrap()).collect();
        names.sort();
        names
    }

    #[test]
    fn programs_that_start_at_once_have_the_same_key() {
        let folder = tempfile::tempdir().unwrap();
        let home = folder.path().join("new");
        let rings: Vec<KeyRing> = std::thread::scope(|scope| {
            let open = || scope.spawn(|| KeyRing::open(&home, None, "a@b").unwrap());
            let all: Vec<_> = (0..6).map(|_| open()).collect();
            all.into_iter().map(|one| one.join().unwrap()).collect()
        });
        let stored = HostKey::load(&home.join(KeyRing::OWN), "a@b").unwrap().public();
        assert!(rings.iter().all(|ring| ring.own().public() == stored));
        assert_eq!(names(&home), ["host-key.lock", KeyRing::OWN]);
    }

    #[test]
    fn the_own_key_is_made_once_and_is_private() {
        let folder = tempfile::tempdir().unwrap();
        let home = folder.path().join("deep/er");
        let first = KeyRing::open(&home, None, "a@b").unwrap();
        let again = KeyRing::open(&home, Some(Path::new("/nonexistent")), "a@b").unwrap();
        assert_eq!(first.own().public(), again.own().public());
        assert_eq!(again.all().count(), 1);
        #[cfg(unix)]
        {
            use std::os::unix::fs::PermissionsExt as _;
            let mode = fs::metadata(home.join(KeyRing::OWN)).unwrap().permissions().mode();
            assert_eq!(mode & 0o777, 0o600);
        }
        assert_eq!(names(&home), ["host-key.lock", KeyRing::OWN], "no draft is left");
        // What lies where the draft is written is neither followed nor written over.
        #[cfg(unix)]
        {
            let (other, precious) = (folder.path().join("other"), folder.path().join("precious"));
            fs::create_dir(&other).unwrap();
            fs::write(&precious, "as it was").unwrap();
            let draft = other.join(KeyRing::OWN).with_extension("draft");
            std::os::unix::fs::symlink(&precious, draft).unwrap();
            KeyRing::open(&other, None, "a@b").unwrap();
            assert_eq!(fs::read_to_string(&precious).unwrap(), "as it was");
            assert_eq!(names(&other), ["host-key.lock", KeyRing::OWN], "no draft is left");
        }
        fs::write(home.join("adbkey"), PEM).unwrap();
        let two = KeyRing::open(&home, Some(&home.join("adbkey")), "a@b").unwrap();
        assert_eq!(two.all().count(), 2);
        fs::write(home.join(KeyRing::OWN), "rubbish").unwrap();
        assert!(matches!(KeyRing::open(&home, None, "a@b"), Err(KeyError::Content { .. })));
    }
}
