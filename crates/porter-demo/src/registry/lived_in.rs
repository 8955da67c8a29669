//! The registry of a person who has used a PC for years, beside one that nobody has set up.

use porter_hive::{KeyTree, ValueKind};

const ADVANCED: &str = "Software\\Microsoft\\Windows\\CurrentVersion\\Explorer\\Advanced";
const METRICS: &str = "Control Panel\\Desktop\\WindowMetrics";
const BELL: &str = "AppEvents\\Schemes\\Apps\\.Default\\SystemHand";

/// Values that every Windows has of itself, as far as settings of a person replace single bits or files of
/// them.
pub(super) fn standard(root: &mut KeyTree) {
    root.key("Control Panel\\Desktop").set(
        "UserPreferencesMask",
        ValueKind::Bytes,
        [0x9e, 0x1e, 0x07, 0x80, 0x12, 0, 0, 0],
    );
    root.key(METRICS)
        .set_number("AppliedDPI", 96)
        .set_text("CaptionHeight", "-330")
        .set_text("ScrollWidth", "-255")
        .set("MenuFont", ValueKind::Bytes, font("Segoe UI", -12, 400));
    root.key(&format!("{BELL}\\.Current")).set_text("", "C:\\Windows\\media\\Windows Foreground.wav");
    root.key(&format!("{BELL}\\.Default")).set_expand_text("", "%SystemRoot%\\media\\Windows Foreground.wav");
    root.key("Control Panel\\Accessibility\\StickyKeys").set_text("Flags", "510");
    root.key("Control Panel\\Keyboard").set_text("KeyboardDelay", "1").set_text("KeyboardSpeed", "31");
    root.key(ADVANCED).set_number("Hidden", 2).set_number("HideFileExt", 1);
}

/// A left-handed person whose eyes are not what they were.
pub(super) fn write(root: &mut KeyTree) {
    root.key("Control Panel\\International")
        .set_text("sShortDate", "yyyy-MM-dd")
        .set_text("sTimeFormat", "HH:mm:ss")
        .set_text("iFirstDayOfWeek", "0")
        .set_text("sCurrency", "£")
        .set_text("iMeasure", "0");
    root.key("Control Panel\\International\\Geo").set_text("Nation", "242").set_text("Name", "GB");
    let languages = root.key("Control Panel\\International\\User Profile");
    languages.set_texts("Languages", &["en-GB", "fr-FR"]).set_number("ShowAutoCorrection", 0);
    languages.key("en-GB").set_number("0809:00000809", 1);
    languages.key("fr-FR").set_number("040C:0000040C", 1);
    root.key("Keyboard Layout\\Toggle").set_text("Language Hotkey", "2").set_text("Layout Hotkey", "3");
    root.key("Control Panel\\Mouse")
        .set_text("DoubleClickSpeed", "720")
        .set_text("MouseSensitivity", "7")
        .set_text("MouseTrails", "5")
        .set_text("SnapToDefaultButton", "1");
    root.key("Control Panel\\Keyboard").set_text("KeyboardDelay", "2").set_text("KeyboardSpeed", "20");
    root.key("Control Panel\\Colors").set_text("Background", "12 64 92");
    root.key("Control Panel\\Desktop")
        .set_text("WheelScrollLines", "6")
        .set_text("WheelScrollChars", "5")
        .set_text("CursorBlinkRate", "900")
        .set_number("CaretWidth", 3)
        .set_text("SCRNSAVE.EXE", "C:\\Windows\\system32\\Mystify.scr")
        .set_text("ScreenSaveTimeOut", "1200")
        .set_text("ScreenSaveActive", "1")
        .set_text("ScreenSaverIsSecure", "1")
        // Menus do not slide, and Ctrl shows where the pointer is.
        .set("UserPreferencesMask", ValueKind::Bytes, [0x9c, 0x5e, 0x07, 0x80, 0x12, 0, 0, 0]);
    root.key(METRICS).set_text("ScrollWidth", "-390").set(
        "MenuFont",
        ValueKind::Bytes,
        font("Verdana", -16, 400),
    );
    root.key("Control Panel\\Cursors")
        .set_text("", "Large and black")
        .set_expand_text("Arrow", "C:\\Users\\odile\\Pictures\\arrow.cur")
        .set_expand_text("IBeam", "%SystemRoot%\\cursors\\beam_rl.cur")
        .set_number("Scheme Source", 1)
        .set_number("CursorBaseSize", 48);
    for (name, flags) in
        [("StickyKeys", "506"), ("Keyboard Response", "122"), ("ToggleKeys", "59"), ("MouseKeys", "58")]
    {
        root.key(&format!("Control Panel\\Accessibility\\{name}")).set_text("Flags", flags);
    }
    root.key("Software\\Microsoft\\ScreenMagnifier").set_number("Magnification", 150).set_number("Invert", 0);
    root.key("Software\\Microsoft\\Accessibility").set_number("TextScaleFactor", 125);
    root.key("Software\\Microsoft\\Windows\\CurrentVersion\\Themes\\Personalize")
        .set_number("AppsUseLightTheme", 0)
        .set_number("EnableTransparency", 0);
    root.key(ADVANCED)
        .set_number("Hidden", 1)
        .set_number("HideFileExt", 0)
        .set_number("LaunchTo", 1)
        .set_number("NavPaneShowAllFolders", 1)
        .set_number("TaskbarGlomLevel", 2)
        .set_number("TaskbarSmallIcons", 1);
    root.key(&format!("{BELL}\\.Current")).set_text("", "C:\\Users\\odile\\Music\\ship's bell.wav");
    root.key("Control Panel\\Sound").set_text("Beep", "no");
    root.key("Environment").set_expand_text("Path", "%USERPROFILE%\\bin;C:\\Kite Plans\\tools");
    root.key("Software\\ODBC\\ODBC.INI\\ODBC Data Sources").set_text("Order book", "Harbour SQL");
    root.key("Software\\ODBC\\ODBC.INI\\Order book")
        .set_text("Driver", "C:\\Windows\\system32\\harboursql.dll")
        .set_text("Server", "harbour")
        .set_text("Database", "orders")
        .set_text("PWD", "kite and string");
    root.key("Software\\Microsoft\\Windows\\CurrentVersion\\Explorer\\FileExts\\.pdf\\UserChoice")
        .set_text("ProgId", "HarbourViewer.Document")
        .set_text("Hash", "a2l0ZXMgZmx5");
    root.key("Software\\Microsoft\\Windows\\CurrentVersion\\Run")
        .set_text("Tide table", "\"C:\\Program Files\\Windrose\\tides.exe\" /tray");
    // A number where Windows reads text: it is not heeded there, and not carried.
    root.key("Control Panel\\Mouse").set_number("MouseHoverTime", 200);
}

/// A `LOGFONTW`.
fn font(face: &str, height: i32, weight: i32) -> Vec<u8> {
    let mut bytes = vec![0; 92];
    bytes[..4].copy_from_slice(&height.to_le_bytes());
    bytes[16..20].copy_from_slice(&weight.to_le_bytes());
    for (at, unit) in face.encode_utf16().enumerate() {
        bytes[28 + 2 * at..30 + 2 * at].copy_from_slice(&unit.to_le_bytes());
    }
    bytes
}
