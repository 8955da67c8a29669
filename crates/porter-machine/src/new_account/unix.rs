//! A Unix makes accounts with `useradd`, where that is Linux.

use super::NewAccount;
use crate::layout::Family;
use std::ffi::OsString;
use std::fs;
use std::io::{self, Write};
use std::path::{Path, PathBuf};
use std::process::{Command, Output, Stdio};

const PASSWD: &str = "etc/passwd";
/// The folder that `useradd` copies into each new home.
const SKELETON: &str = "/etc/skel";
/// The first number of a person's account (`login.defs(5)`).
const FIRST_PERSON: u32 = 1000;
/// Groups whose members may change the system. The first that is there counts.
const ADMINISTRATORS: [&str; 3] = ["sudo", "wheel", "admin"];

pub(super) fn makes_accounts_of(family: Family, _is_mounted: bool) -> bool {
    family == Family::Linux && cfg!(target_os = "linux")
}

pub(super) fn make(
    mounted_at: Option<&Path>,
    account: &NewAccount,
    password: Option<&str>,
) -> io::Result<()> {
    let groups = fs::read_to_string(mounted_at.unwrap_or(Path::new("/")).join("etc/group"))?;
    run(Command::new("useradd").args(arguments(mounted_at, account, &groups)?), b"")?;
    let Some(password) = password else { return Ok(()) };
    let mut chpasswd = Command::new("chpasswd");
    // By itself: without that it asks the system that we run on, also for another root.
    chpasswd.args(["--crypt-method", "SHA512"]);
    if let Some(root) = mounted_at {
        chpasswd.arg("--root").arg(root);
    }
    let line = format!("{}:{password}\n", account.name);
    run(&mut chpasswd, line.as_bytes()).inspect_err(|_| {
        let mut userdel = Command::new("userdel");
        userdel.arg("--remove");
        if let Some(root) = mounted_at {
            userdel.arg("--prefix").arg(root);
        }
        let _ = run(userdel.args(["--", &account.name]), b"");
    })
}

/// The arguments of `useradd`. `groups` is the machine's own `group(5)`.
fn arguments(mounted_at: Option<&Path>, account: &NewAccount, groups: &str) -> io::Result<Vec<OsString>> {
    let mut arguments: Vec<OsString> =
        ["--create-home", "--user-group", "--shell", "/bin/bash"].map(OsString::from).to_vec();
    if let Some(root) = mounted_at {
        arguments.extend(["--prefix".into(), root.as_os_str().to_owned()]);
    }
    if account.is_administrator {
        let has = |group: &&&str| groups.lines().any(|line| line.split(':').next() == Some(**group));
        let none = || io::Error::other("the system has no group of administrators");
        let group = ADMINISTRATORS.iter().find(has).ok_or_else(none)?;
        arguments.extend(["--groups", group].map(OsString::from));
    }
    if let Some(full_name) = &account.full_name {
        // The field holds several things, with commas between them, in a line with colons.
        let held: String =
            full_name.chars().map(|c| if c.is_control() || ":,".contains(c) { ' ' } else { c }).collect();
        arguments.push(format!("--comment={held}").into());
    }
    // After `--` no name can be taken for an option.
    arguments.extend(["--".into(), account.name.clone().into()]);
    Ok(arguments)
}

/// Fails with the program's own words.
fn run(command: &mut Command, input: &[u8]) -> io::Result<()> {
    let program = command.get_program().to_string_lossy().into_owned();
    let named = |cause: io::Error| io::Error::new(cause.kind(), format!("{program}: {cause}"));
    command.stdin(Stdio::piped()).stdout(Stdio::null()).stderr(Stdio::piped());
    let mut child = command.spawn().map_err(named)?;
    if let Some(mut stdin) = child.stdin.take() {
        // A program that has ended already says why.
        let _ = stdin.write_all(input);
    }
    let Output { status, stderr, .. } = child.wait_with_output().map_err(named)?;
    if status.success() {
        return Ok(());
    }
    Err(io::Error::other(String::from_utf8_lossy(&stderr).trim().to_owned()))
}

pub(super) fn has(name: &str) -> io::Result<bool> {
    listed(name).map(|account| account.is_some())
}

/// Number and home, by the running system's own list.
fn listed(name: &str) -> io::Result<Option<(u32, PathBuf)>> {
    let list = fs::read_to_string(Path::new("/").join(PASSWD))?;
    let rows = list.lines().map(|line| line.split(':').collect::<Vec<_>>());
    let account = |row: Vec<&str>| match row[..] {
        [known, _, number, _, _, home, _] if known == name => {
            Some((number.parse().ok()?, PathBuf::from(home)))
        }
        _ => None,
    };
    Ok(rows.into_iter().find_map(account))
}

pub(super) fn remove(name: &str) -> io::Result<()> {
    let Some((number, home)) = listed(name)? else { return Ok(()) };
    // Whatever a journal says: the system's own accounts are not ours.
    if number < FIRST_PERSON || home.parent().is_none() {
        return Err(io::ErrorKind::PermissionDenied.into());
    }
    if !is_as_made(&home, Path::new(SKELETON))? {
        return Err(io::ErrorKind::DirectoryNotEmpty.into());
    }
    run(Command::new("userdel").args(["--", name]), b"")?;
    take_away(&home, Path::new(SKELETON))
}

/// True if nothing is in a folder but what was copied into it, and folders without files.
fn is_as_made(folder: &Path, from: &Path) -> io::Result<bool> {
    let rows = match fs::read_dir(folder) {
        Ok(rows) => rows,
        Err(cause) if cause.kind() == io::ErrorKind::NotFound => return Ok(true),
        Err(cause) => return Err(cause),
    };
    for row in rows {
        let row = row?;
        let (here, there) = (row.path(), from.join(row.file_name()));
        let is_same =
            if row.file_type()?.is_dir() { is_as_made(&here, &there)? } else { is_copy(&here, &there) };
        if !is_same {
            return Ok(false);
        }
    }
    Ok(true)
}

fn is_copy(here: &Path, there: &Path) -> bool {
    let kind = |path: &Path| fs::symlink_metadata(path).ok().map(|found| (found.file_type(), found.len()));
    match (kind(here), kind(there)) {
        (Some((one, size)), Some((other, its_size))) if one == other && size == its_size => {
            if one.is_symlink() {
                fs::read_link(here).ok() == fs::read_link(there).ok()
            } else {
                one.is_file() && fs::read(here).ok() == fs::read(there).ok()
            }
        }
        _ => false,
    }
}

/// Removes the files that [`is_as_made`] has found. Files that came since then stay, with their folders.
fn take_away(folder: &Path, from: &Path) -> io::Result<()> {
    let Ok(rows) = fs::read_dir(folder) else { return Ok(()) };
    for row in rows {
        let row = row?;
        let (here, there) = (row.path(), from.join(row.file_name()));
        if row.file_type()?.is_dir() {
            take_away(&here, &there)?;
        } else if is_copy(&here, &there) {
            fs::remove_file(&here)?;
        }
    }
    fs::remove_dir(folder)
}

#[cfg(test)]
mod tests {
    use super::*;

    fn odile() -> NewAccount {
        NewAccount {
            name: "-odile".to_owned(),
            full_name: Some("Odile Marchetti, Loft:\nroot".to_owned()),
            is_administrator: true,
            ..NewAccount::default()
        }
    }

    #[test]
    fn useradd_is_told_the_name_and_the_group_and_nothing_else() {
        let told = |groups: &str| {
            let told = arguments(Some(Path::new("/mnt/new")), &odile(), groups)?;
            Ok::<_, io::Error>(
                told.iter().map(|word| word.to_string_lossy().into_owned()).collect::<Vec<_>>(),
            )
        };
        let words = told("root:x:0:\nwheel:x:10:\n").unwrap();
        let expected = "--create-home --user-group --shell /bin/bash --prefix /mnt/new --groups wheel \
                        --comment=Odile Marchetti  Loft  root -- -odile";
        assert_eq!(words.join(" "), expected);
        assert!(told("sudoers:x:27:\n").is_err(), "no such group");
    }

    #[test]
    fn a_home_is_taken_away_only_if_nothing_was_put_into_it() {
        let folder = tempfile::tempdir().unwrap();
        let (home, skeleton) = (folder.path().join("odile"), folder.path().join("skel"));
        for root in [&home, &skeleton] {
            fs::create_dir_all(root.join(".config")).unwrap();
            fs::write(root.join(".profile"), "PATH").unwrap();
        }
        fs::create_dir_all(home.join("Documents/empty")).unwrap();
        assert!(is_as_made(&home, &skeleton).unwrap());
        fs::write(home.join("Documents/plan.txt"), "spar").unwrap();
        assert!(!is_as_made(&home, &skeleton).unwrap());
        // It came in between: it stays.
        assert!(take_away(&home, &skeleton).is_err());
        assert!(home.join("Documents/plan.txt").is_file());
        fs::remove_file(home.join("Documents/plan.txt")).unwrap();
        fs::write(home.join(".profile"), "path").unwrap();
        assert!(!is_as_made(&home, &skeleton).unwrap(), "changed by its person");
        fs::remove_file(home.join(".profile")).unwrap();
        take_away(&home, &skeleton).unwrap();
        assert!(!home.exists());
    }
}
