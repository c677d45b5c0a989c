//! Letters that are another letter with a mark.

/// Where a mark stands at its letter.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum At {
    /// Over its middle, from its top.
    Over,
    /// Under its middle, from the baseline.
    Under,
    /// At its right foot.
    RightFoot,
    /// Beside its right top.
    RightTop,
}

/// A mark: as what it follows its letter where the two are written one by one, where it stands, its line about that
/// place, and the letters with it, each before the one it is made of.
pub(super) struct Mark {
    pub(super) signs: &'static str,
    pub(super) at: At,
    pub(super) path: &'static str,
    pub(super) letters: &'static str,
}

const fn mark(signs: &'static str, at: At, path: &'static str, letters: &'static str) -> Mark {
    Mark { signs, at, path, letters }
}

/// All marks.
pub(super) const MARKS: &[Mark] = &[
    // Acute.
    mark(
        "\u{301}",
        At::Over,
        "M-.8 1.6 L1.2 4.4",
        "ÁA ĆC ÉE ÍI ĹL ŃN ÓO ŔR ŚS ÚU ÝY ŹZ ǴG ḰK ẂW ǼÆ ǾØ áa ćc ée íı ĺl ńn óo ŕr śs úu ýy źz ǵg ḱk ẃw ǽæ ǿø",
    ),
    // Grave.
    mark(
        "\u{300}",
        At::Over,
        "M.8 1.6 L-1.2 4.4",
        "ÀA ÈE ÌI ÒO ÙU ẀW ỲY ǸN àa èe ìı òo ùu ẁw ỳy ǹn",
    ),
    // Circumflex.
    mark(
        "\u{302}",
        At::Over,
        "M-2.2 1.6 L0 4 L2.2 1.6",
        "ÂA ĈC ÊE ĜG ĤH ÎI ĴJ ÔO ŜS ÛU ŴW ŶY âa ĉc êe ĝg ĥh îı ĵȷ ôo ŝs ûu ŵw ŷy",
    ),
    // Caron.
    mark(
        "\u{30c}",
        At::Over,
        "M-2.2 4 L0 1.6 L2.2 4",
        "ČC ĎD ĚE ŇN ŘR ŠS ŤT ŽZ ǍA ǏI ǑO ǓU ǦG ǨK čc ěe ňn řr šs žz ǎa ǐı ǒo ǔu ǧg ǩk",
    ),
    // Caron of high letters.
    mark("\u{30c}", At::RightTop, "M2.6 14 L1.8 11.4", "ďd ťt ľl ĽL"),
    // Tilde.
    mark(
        "\u{303}",
        At::Over,
        "M-2.6 2.2 C-1.8 4.2 -.6 3.8 0 3 C.6 2.2 1.8 1.8 2.6 3.8",
        "ÃA ÑN ÕO ĨI ŨU ẼE ỸY ãa ñn õo ĩı ũu ẽe ỹy",
    ),
    // Diaeresis.
    mark(
        "\u{308}",
        At::Over,
        "M-2.4 2.6 a.5 .5 0 1 1 1 0 a.5 .5 0 1 1 -1 0 Z M1.4 2.6 a.5 .5 0 1 1 1 0 a.5 .5 0 1 1 -1 0 Z",
        "ÄA ËE ÏI ÖO ÜU ŸY ẄW äa ëe ïı öo üu ÿy ẅw",
    ),
    // Ring.
    mark("\u{30a}", At::Over, "M-1.5 2.9 a1.5 1.5 0 1 1 3 0 a1.5 1.5 0 1 1 -3 0 Z", "ÅA ŮU åa ůu"),
    // Macron.
    mark("\u{304}", At::Over, "M-2.4 2.4 H2.4", "ĀA ĒE ĪI ŌO ŪU ȲY ǢÆ āa ēe īı ōo ūu ȳy ǣæ"),
    // Breve.
    mark("\u{306}", At::Over, "M-2.2 4 C-2 1.4 2 1.4 2.2 4", "ĂA ĔE ĞG ĬI ŎO ŬU ăa ĕe ğg ĭı ŏo ŭu"),
    // Double acute.
    mark("\u{30b}", At::Over, "M-2.2 1.6 L-.6 4.4 M.8 1.6 L2.4 4.4", "ŐO ŰU őo űu"),
    // Dot above.
    mark(
        "\u{307}",
        At::Over,
        "M-.5 2.6 a.5 .5 0 1 1 1 0 a.5 .5 0 1 1 -1 0 Z",
        "ĊC ĖE ĠG İI ŻZ ḂB ḊD ḞF ṀM ṖP ṠS ṪT ċc ėe ġg żz ḃb ḋd ḟf ṁm ṗp ṡs ṫt",
    ),
    // Comma above, for the letter that hangs down.
    mark("\u{327}", At::Over, "M.6 4.2 L-.4 1.6", "ģg"),
    // Cedilla.
    mark(
        "\u{327}",
        At::Under,
        "M0 0 L-.3 -1.2 C1.2 -1.2 1.8 -1.9 1.8 -2.7 C1.8 -3.6 1 -4.1 0 -4.1 C-.7 -4.1 -1.3 -3.9 -1.7 -3.6",
        "ÇC ŞS ŢT ȨE çc şs ţt ȩe",
    ),
    // Comma below.
    mark("\u{326}\u{327}", At::Under, "M.4 -1.6 L-.5 -4", "ĢG ĶK ĻL ŅN ŖR ȘS ȚT ķk ļl ņn ŗr șs țt"),
    // Ogonek.
    mark(
        "\u{328}",
        At::RightFoot,
        "M0 0 C-1.4 -1 -2 -2 -1.7 -3 C-1.4 -4 -.4 -4.2 .6 -3.6",
        "ĄA ĘE ĮI ąa įi",
    ),
    // Ogonek of letters that are round below.
    mark(
        "\u{328}",
        At::Under,
        "M.6 0 C-.8 -1 -1.4 -2 -1.1 -3 C-.8 -4 .2 -4.2 1.2 -3.6",
        "ęe ŲU ųu ǪO ǫo",
    ),
];
