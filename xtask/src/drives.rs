//! Drives: the price of reading a volume by ourselves, beside the ways of the system. Needs root, ntfs-3g and
//! 6 GB of room.

use crate::bench::{build_porter, peak_memory_in_mb, time};
use porter_demo::writing::noise;
use porter_disk::{Drive, Reading};
use std::fs::{self, File};
use std::io::Write;
use std::path::Path;
use std::process::Command;
use std::time::Instant;

const ROUNDS: usize = 5;
const FILM_IN_BYTES: usize = 400 << 20;
const FILMS: usize = 3;
/// Read at once, as a capture does.
const PIECE_IN_BYTES: usize = 4 << 20;

fn run(program: &str, words: &[&str]) -> Result<(), String> {
    let status = Command::new(program).args(words).stderr(std::process::Stdio::null()).status();
    match status {
        Ok(status) if status.success() => Ok(()),
        _ => Err(format!("failed: {program} {}", words.join(" "))),
    }
}

fn median(mut of: Vec<f64>) -> f64 {
    of.sort_by(f64::total_cmp);
    of[of.len() / 2]
}

/// Measures on volumes that ntfs-3g writes: long files, and `files` empty ones.
pub(crate) fn bench(files: usize) -> Result<(), String> {
    let porter = build_porter()?;
    let porter = porter.display();
    let bench = std::env::temp_dir().join(format!("porter-bench-{}", std::process::id()));
    let failed = |cause: std::io::Error| cause.to_string();
    let mounted = bench.join("mounted");
    fs::create_dir_all(&mounted).map_err(failed)?;
    let (films, many) = (bench.join("films.ntfs"), bench.join("many.ntfs"));
    let shown = |path: &Path| path.display().to_string();
    make(&films, &mounted, (FILMS * FILM_IN_BYTES + (200 << 20)) as u64, &|| {
        let content = noise("films", 16 << 20);
        for number in 0..FILMS {
            let mut film = File::create(mounted.join(format!("film {number}.mp4")))?;
            (0..FILM_IN_BYTES / content.len()).try_for_each(|_| film.write_all(&content))?;
        }
        let photos = mounted.join("photos");
        fs::create_dir(&photos)?;
        (0..2000).try_for_each(|at| {
            fs::write(photos.join(format!("photo {at:04}.jpg")), &content[at * 64..at * 64 + 60_000])
        })
    })?;
    make(&many, &mounted, files as u64 * 1500 + (300 << 20), &|| {
        for number in 0..files {
            let folder =
                mounted.join(format!("Users/odile/Documents/folder {:05} of the kites", number / 250));
            if number % 250 == 0 {
                fs::create_dir_all(&folder)?;
            }
            File::create(folder.join(format!("a letter about kites, number {number:07}.txt")))?;
        }
        Ok(())
    })?;

    let (mut ours, mut theirs) = (Vec::new(), Vec::new());
    let cat = format!("cat {} > /dev/null", shown(&films));
    time(&cat)?;
    let cat_in_bytes = fs::metadata(&films).map_err(failed)?.len() as f64;
    for _ in 0..ROUNDS {
        theirs.push(cat_in_bytes / time(&cat)?);
        ours.push(rate(&films)?);
    }
    let (ours, theirs) = (median(ours), median(theirs));
    println!("content through NTFS {:.0} MB/s, cat of the image {:.0} MB/s", ours / 1e6, theirs / 1e6);
    println!("  content / cat                              {:.2} (at least 0.9)", ours / theirs);

    let survey = format!("{porter} survey {} --as-drive --quiet", shown(&many));
    time(&survey)?;
    let took = median((0..ROUNDS).map(|_| time(&survey)).collect::<Result<_, _>>()?);
    println!(
        "survey of {files} files: {took:.2} s (at most 15), {:.0} MB (at most 300)",
        peak_memory_in_mb(&survey)?
    );

    let (mut by_image, mut by_mount) = (Vec::new(), Vec::new());
    let trunk = shown(&bench.join("trunk"));
    let capture = |from: &str| {
        format!("rm -rf {trunk}; {porter} capture {from} {trunk} --as-drive --quiet --prove-later && sync")
    };
    let mounted_at = shown(&mounted);
    for _ in 0..ROUNDS {
        by_image.push(time(&capture(&shown(&films)))?);
        run("ntfs-3g", &["-o", "ro,streams_interface=xattr", &shown(&films), &mounted_at])?;
        let took = time(&capture(&mounted_at));
        run("umount", &[&mounted_at])?;
        by_mount.push(took?);
    }
    let (by_image, by_mount) = (median(by_image), median(by_mount));
    println!("capture from the image {by_image:.2} s, from the mounted volume {by_mount:.2} s");
    println!("  image / mounted                            {:.2} (at most 1.1)", by_image / by_mount);
    fs::remove_dir_all(&bench).map_err(failed)
}

/// Makes a volume, mounts it, lets `fill` fill it, and unmounts it.
fn make(
    image: &Path,
    mounted: &Path,
    size_in_bytes: u64,
    fill: &dyn Fn() -> std::io::Result<()>,
) -> Result<(), String> {
    let failed = |cause: std::io::Error| cause.to_string();
    File::create(image).and_then(|file| file.set_len(size_in_bytes)).map_err(failed)?;
    let (image, mounted) = (image.display().to_string(), mounted.display().to_string());
    run("mkntfs", &["-q", "-F", &image])?;
    run("ntfs-3g", &["-o", "big_writes,noatime", &image, &mounted])?;
    let filled = fill().map_err(failed);
    run("umount", &[&mounted])?;
    filled
}

/// Bytes a second, of all long files on a volume.
fn rate(image: &Path) -> Result<f64, String> {
    let drive = Drive::open(image, &Reading::default()).map_err(|error| error.to_string())?;
    let volume = drive.parts[0].open(false).map_err(|error| error.to_string())?;
    let mut buffer = vec![0; PIECE_IN_BYTES];
    let began = Instant::now();
    let mut read_in_bytes = 0;
    let films: Vec<_> =
        volume.tree().nodes_in(volume.tree().root()).filter(|(name, _)| name.starts_with(b"film")).collect();
    for (_, node) in films {
        let film = volume.open(node).map_err(|trouble| trouble.to_string())?;
        let mut at = 0;
        while let read @ 1.. = film.read_at(at, &mut buffer).map_err(|cause| cause.to_string())? {
            at += read as u64;
        }
        read_in_bytes += at;
    }
    Ok(read_in_bytes as f64 / began.elapsed().as_secs_f64())
}
