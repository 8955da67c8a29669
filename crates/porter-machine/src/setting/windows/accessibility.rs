//! Ease of access: keys that wait, click and beep, contrast.

use super::table::{Row, Table, build};

macro_rules! key {
    ($name:literal) => {
        concat!("Control Panel\\Accessibility\\", $name)
    };
}

/// See the module. Bit 0 of `Flags` is *on now*, 1 *available*, 2 *its hot key works*, 3 *asks*, 4 *beeps*,
/// 5 *shows that it is on*. Who switched only the hot keys off has wished something, too.
pub static ACCESSIBILITY: Table = Table {
    id: "accessibility",
    title: "Ease of access",
    programs: &[],
    rows: &[
        Row::text("sticky-keys", key!("StickyKeys"), "Flags").standard("510"),
        Row::text("filter-keys", key!("Keyboard Response"), "Flags").standard("126"),
        Row::text("filter-waits", key!("Keyboard Response"), "DelayBeforeAcceptance").standard("1000"),
        Row::text("filter-repeat-rate", key!("Keyboard Response"), "AutoRepeatRate").standard("500"),
        Row::text("filter-repeat-delay", key!("Keyboard Response"), "AutoRepeatDelay").standard("1000"),
        Row::text("filter-bounce-time", key!("Keyboard Response"), "BounceTime").standard("0"),
        Row::text("toggle-keys", key!("ToggleKeys"), "Flags").standard("62"),
        Row::text("mouse-keys", key!("MouseKeys"), "Flags").standard("62"),
        Row::text("mouse-keys-speed", key!("MouseKeys"), "MaximumSpeed").standard("80"),
        Row::text("mouse-keys-time", key!("MouseKeys"), "TimeToMaximumSpeed").standard("3000"),
        Row::text("sound-sentry", key!("SoundSentry"), "Flags").standard("2"),
        Row::text("show-sounds", key!("ShowSounds"), "On").standard("0"),
        Row::text("time-out", key!("TimeOut"), "Flags").standard("2"),
        Row::text("time-to-wait", key!("TimeOut"), "TimeToWait").standard("300000"),
        Row::number("messages-stay", "Control Panel\\Accessibility", "MessageDuration")
            .standard("5")
            .since(build::VISTA),
        Row::text("contrast-scheme", key!("HighContrast"), "High Contrast Scheme"),
        Row::text("high-contrast", key!("HighContrast"), "Flags").standard("126"),
    ],
};
