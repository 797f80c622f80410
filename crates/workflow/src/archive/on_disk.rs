//! A file that is read at several places at once.

use std::fs::File;
use std::io::{self, Read, Seek, SeekFrom};
use std::os::unix::fs::FileExt;
use std::path::Path;
use std::sync::Arc;

/// One open file and a place in it; a copy reads the same file at a place of its own.
#[derive(Clone)]
pub(crate) struct OnDisk {
    file: Arc<File>,
    bytes: u64,
    at: u64,
}

impl OnDisk {
    pub(crate) fn open(path: &Path) -> io::Result<Self> {
        let file = File::open(path)?;
        Ok(Self { bytes: file.metadata()?.len(), file: Arc::new(file), at: 0 })
    }
}

impl Read for OnDisk {
    fn read(&mut self, buf: &mut [u8]) -> io::Result<usize> {
        let n = self.file.read_at(buf, self.at)?;
        self.at += n as u64;
        Ok(n)
    }
}

impl Seek for OnDisk {
    fn seek(&mut self, to: SeekFrom) -> io::Result<u64> {
        let at = match to {
            SeekFrom::Start(n) => Some(n),
            SeekFrom::Current(d) => self.at.checked_add_signed(d),
            SeekFrom::End(d) => self.bytes.checked_add_signed(d),
        };
        self.at = at.ok_or_else(|| io::Error::new(io::ErrorKind::InvalidInput, "a place before the file"))?;
        Ok(self.at)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::io::Write;

    #[test]
    fn copies_read_one_file_each_at_its_own_place() {
        let mut made = tempfile::NamedTempFile::new().unwrap();
        made.write_all(b"0123456789").unwrap();
        let mut one = OnDisk::open(made.path()).unwrap();
        one.seek(SeekFrom::Start(2)).unwrap();
        let mut other = one.clone();
        let read = |f: &mut OnDisk, n: usize| {
            let mut out = vec![0; n];
            f.read_exact(&mut out).unwrap();
            String::from_utf8(out).unwrap()
        };
        assert_eq!((read(&mut one, 3), read(&mut other, 2)), ("234".into(), "23".into()));
        assert_eq!((other.seek(SeekFrom::End(-1)).unwrap(), read(&mut other, 1)), (9, "9".into()));
        assert_eq!((one.seek(SeekFrom::Current(1)).unwrap(), read(&mut one, 1)), (6, "6".into()));
        assert!(one.seek(SeekFrom::Current(-20)).is_err() && one.seek(SeekFrom::End(-11)).is_err());
        assert_eq!((one.seek(SeekFrom::Start(50)).unwrap(), one.read(&mut [0; 4]).unwrap()), (50, 0));
    }
}
