"""Words of the trade, each explained where it stands: by the name of a form's field, or by the word itself."""

# What a page calls it, and what it is.
WORDS: dict[str, tuple[str, str]] = {
    "pixels": (
        "Pixel format",
        "How samples are stored. 4:4:4 keeps the colour of every pixel, 4:2:2 that of every second one in a row, 4:2:0 "
        "that of one in four. NV12 is 4:2:0 and YUY2 is 4:2:2, in the order in which capture boxes send them.",
    ),
    "samples": (
        "Chroma and bit depth",
        "4:4:4 keeps the colour of every pixel, 4:2:2 that of every second one in a row, 4:2:0 that of one in four. "
        "Bits are the steps from black to white: 256 with 8, 1024 with 10. More suits text, grading and keying.",
    ),
    "matrix": (
        "Colour matrix",
        "How red, green and blue are made of brightness and colour: 601 for standard definition, 709 for HD, 2020 for "
        "wide gamut. Read by the wrong one, reds and greens shift.",
    ),
    "range": (
        "Range",
        "Where black and white lie: 16 and 235 in limited range, which video has, 0 and 255 in full range, which "
        "computers have. Read wrongly, shadows are crushed or black is grey.",
    ),
    "rate": (
        "Rate control",
        "What decides how many bits a picture gets. Constant quality (CRF) lets size follow the content. A bitrate "
        "holds size and lets quality follow. A constant quantiser (QP) rounds every picture by the same step.",
    ),
    "effort": (
        "Encoder speed",
        "How long the encoder searches for a smaller way to say the same. Slower makes smaller files of the same "
        "quality, and a frame is lost where a picture takes longer than its time.",
    ),
    "keyframe_s": (
        "Keyframe interval",
        "A keyframe is a picture that needs no other. Players seek to it, and a cut without encoding begins there.",
    ),
    "lookahead": (
        "Look-ahead and B-frames",
        "Look-ahead are the pictures that the encoder sees before it decides. B-frames are made of pictures before and "
        "after them: smaller, and more work to step through.",
    ),
    "level": (
        "Level",
        "A promise to players: this file needs no more than so much size, rate and bitrate.",
    ),
    "profile": ("Profile", "The tools of a codec that a file uses. Older players know the simpler ones only."),
    "deinterlace": (
        "Deinterlacing",
        "An interlaced picture is two fields, every other line each, taken one after the other. bwdif fills in the "
        "lines that a field lacks from its neighbours; a picture of each field keeps all motion.",
    ),
    "scaler": (
        "Scaling",
        "How pixels of another size are computed. Sharper ways draw a thin line beside hard edges; softer ones don't.",
    ),
    "timing": (
        "Timing",
        "At a fixed rate a frame stands at each tick, repeated where none came. Variable keeps the time at which each "
        "came, which many editors read badly.",
    ),
    "hop": ("Hop", "One step of the way: a cable, an adapter, a box, a port. The line shows what each takes away."),
    "strand": ("Strand", "A signal drawn: the picture as thick as its data rate, a sound as thick as it is loud."),
    "loudness": (
        "LUFS and LU",
        "Loudness as the ear takes it (EBU R 128): 0 LUFS is the loudest that there is, one LU is one dB of it.",
    ),
    "headroom": ("Headroom", "How many times faster than needed this machine encodes. Below 1 frames are lost."),
    "jitter": ("Jitter", "How far pictures arrive from their even times."),
    "distinct": (
        "Distinct pictures",
        "How many pictures a second differ from the one before: what the game really draws.",
    ),
}
