//! Pieces that other programs packed, unpacked by ours.

use porter_disk::packed::{lzx, xpress};
use porter_source::OwnTrouble;

type Unpacked = fn(&[u8], usize) -> Result<Vec<u8>, OwnTrouble>;

/// Words, and programs' calls, as the maker of the pieces has them.
fn content() -> Vec<u8> {
    let words = (0..1500)
        .flat_map(|at| format!("Kite {at} of Saltmarsh, tail of {} bows. ", at * 7 % 50).into_bytes());
    let calls = (0..3000_i32).flat_map(|at| {
        let target = (at * 977) % 5000 - at;
        [&[0x55, 0x89, 0xe5, 0xe8][..], &target.to_le_bytes(), &[0x5d, 0xc3]].concat()
    });
    words.chain(calls).collect()
}

#[test]
fn what_libwim_packed_is_unpacked_and_what_is_cut_off_or_changed_is_an_error_or_other_bytes_but_never_more() {
    let content = content();
    let pieces: [(&[u8], usize, Unpacked); 2] = [
        (include_bytes!("../images/words.lzx"), 32_768, lzx::unpacked),
        (include_bytes!("../images/words.xpress"), 16_384, xpress::unpacked),
    ];
    for (piece, length, unpacked) in pieces {
        let truth = &content[content.len() - length..];
        assert_eq!(unpacked(piece, length).ok().as_deref(), Some(truth));
        assert_eq!(unpacked(piece, 1000).map(|bytes| bytes.len()), Ok(1000));
        for cut in (0..piece.len() - 16).step_by(7) {
            assert_ne!(unpacked(&piece[..cut], length).ok().as_deref(), Some(truth), "{cut}");
        }
        for at in (0..piece.len()).step_by(3) {
            let mut changed = piece.to_vec();
            changed[at] ^= 1 << (at % 8);
            assert!(
                unpacked(&changed, length).is_ok_and(|bytes| bytes.len() == length)
                    || unpacked(&changed, length).is_err()
            );
        }
    }
}
