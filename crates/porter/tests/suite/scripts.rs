//! The script of all that is left to do: for the new machine's system, harmless whatever a trunk says, and
//! run by a real shell.
#![allow(clippy::unwrap_used, reason = "a test that cannot go on fails")]

use crate::workbench::Workbench;
#[cfg(unix)]
use std::fs;

#[test]
fn a_script_of_powershell_has_each_command_once_in_its_section() {
    let bench = Workbench::with_trunk();
    bench.porter(&["restore", "trunk", "TIDEWATER", "--account", "tamsin=tamsin.okafor", "--yes", "--quiet"]);
    let said =
        bench.porter(&["check", "trunk", "TIDEWATER", "--quiet", "--script", "todo.ps1"]).with_status(0);
    assert!(said.out.contains("they stand in todo.ps1"), "{}", said.out);
    let script = bench.read("todo.ps1");
    assert!(script.starts_with("\u{feff}# What is left to do on TIDEWATER"), "{script}");
    assert_eq!(script.matches('\n').count(), script.matches("\r\n").count(), "lines as Windows ends them");
    for line in [
        "[Environment]::SetEnvironmentVariable('KITECAD_LICENCE', '27000@LOFT-PC', 'Machine')",
        "if ($env:USERNAME -eq 'odile') {",
        "if (-not (Get-Printer -Name 'Front desk' -ErrorAction SilentlyContinue)) { Add-Printer -Name 'Front desk' \
         -DriverName 'Ropewalk Laser 200' -PortName 'IP_192.0.2.20' }",
    ] {
        assert_eq!(script.matches(line).count(), 1, "{line}\n{script}");
    }
    // Everybody's first: a person's printer needs its port.
    assert!(script.find("Add-Printer ").unwrap() < script.find("$env:USERNAME").unwrap());
    // Settings that landed are nothing to type, nor is a printer of a server.
    for set in ["reg add", "net use", "PrintUIEntry /in"] {
        assert!(!script.contains(set), "{set} in {script}");
    }
    // The receipt stays one document, and a script of another system is refused.
    bench.porter(&["check", "trunk", "TIDEWATER", "--json", "-", "--script", "again.ps1"]).json();
    assert_eq!(bench.read("again.ps1"), script);
    let refused =
        bench.porter(&["check", "trunk", "TIDEWATER", "--quiet", "--script", "todo.sh"]).with_status(2);
    assert!(refused.err.contains(".ps1"), "{}", refused.err);
    assert!(!bench.path("todo.sh").exists());
}

#[cfg(unix)]
#[test]
fn a_shell_runs_a_script_twice_and_nothing_in_it_is_more_than_text() {
    use std::process::Command;
    let bench = Workbench::new();
    for (name, variable) in [("OLD", true), ("NEW", false)] {
        bench.write(&format!("{name}/etc/os-release"), "PRETTY_NAME=\"Kite Linux 3\"\n");
        bench.write(&format!("{name}/etc/passwd"), "odile:x:1000:1000::/home/odile:/bin/sh\n");
        fs::create_dir_all(bench.path(&format!("{name}/home/odile/Documents"))).unwrap();
        fs::create_dir_all(bench.path(&format!("{name}/var/lib"))).unwrap();
        if variable {
            bench.write(&format!("{name}/etc/timezone"), "Asia/Kolkata\n");
            bench.write(&format!("{name}/etc/default/locale"), "LANG=\"x'; touch EVIL #\"\n");
            bench.write(
                &format!("{name}/etc/cups/printers.conf"),
                "<DefaultPrinter desk>\nInfo $(touch EVIL)\nDeviceURI socket://192.0.2.20:9100\n</DefaultPrinter>\n",
            );
        }
    }
    bench.porter(&["capture", "OLD", "trunk", "--quiet"]).with_status(0);
    bench.porter(&["restore", "trunk", "NEW", "--yes", "--quiet"]).with_status(0);
    bench.porter(&["check", "trunk", "NEW", "--quiet", "--script", "todo.sh"]).with_status(0);
    let script = bench.read("todo.sh");
    assert!(script.starts_with("#!/bin/sh\n"), "{script}");
    // Programs that only write down what they are asked for.
    bench.write("notes.sh", "#!/bin/sh\nprintf '%s|' \"${0##*/}\" \"$@\" >> asked\necho >> asked\n");
    for program in ["timedatectl", "localectl", "lpadmin", "lpoptions"] {
        bench.program(&format!("bin/{program}"), &bench.path("notes.sh"));
    }
    bench.write("sudo.sh", "#!/bin/sh\nexec \"$@\"\n");
    bench.program("bin/sudo", &bench.path("sudo.sh"));
    let path = format!("{}:/usr/bin:/bin", bench.path("bin").display());
    for _ in 0..2 {
        let mut shell = Command::new("sh");
        shell
            .args(["-eu", "todo.sh"])
            .current_dir(bench.path(""))
            .env("PATH", &path)
            .env("HOME", bench.path("home"));
        let said = shell.output().unwrap();
        assert!(said.status.success(), "{}\n{script}", String::from_utf8_lossy(&said.stderr));
    }
    assert!(!bench.path("EVIL").exists(), "{script}");
    let asked = bench.read("asked");
    assert!(asked.contains("timedatectl|set-timezone|Asia/Kolkata|"), "{asked}");
    assert!(asked.contains("lpadmin|-p|desk|-E|-v|socket://192.0.2.20:9100|"), "{asked}");
}
