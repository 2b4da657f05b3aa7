"""The picture the tracker looks at."""

import numpy as np
import pytest

from verdigris.core.tracking.reference.analysis import AnalysisMaker, AnalysisSettings

RNG = np.random.default_rng(2)
GREY = RNG.uniform(0.3, 0.6, (80, 120)).astype(np.float32)
RGB = np.repeat(GREY[..., None], 3, axis=2)
REGION = np.zeros((80, 120), bool)
REGION[20:60, 30:90] = True


def made(rgb=RGB, reference=RGB, **settings):
    return AnalysisMaker(AnalysisSettings(**settings), reference, REGION).make(rgb)


def test_untouched_luma_is_luma():
    assert np.allclose(made(), GREY, atol=1e-6)
    assert AnalysisSettings().is_plain
    assert not AnalysisSettings(gamma=1.2).is_plain


@pytest.mark.parametrize(("channel", "index"), [("red", 0), ("green", 1), ("blue", 2)])
def test_a_channel_is_that_channel(channel, index):
    colour = RNG.uniform(0, 1, (80, 120, 3)).astype(np.float32)
    assert np.allclose(made(colour, colour, channel=channel), colour[..., index], atol=1e-6)


def test_the_best_channel_is_the_one_that_varies():
    colour = RGB.copy()
    colour[..., 0] = colour[..., 2] = 0.4
    best = made(colour, colour, channel="best")
    assert np.corrcoef(best[REGION], colour[..., 1][REGION])[0, 1] > 0.999


def test_chroma_sees_a_mark_that_is_as_bright_as_its_ground():
    colour = np.zeros((80, 120, 3), np.float32)
    colour[:] = [0.2, 0.5, 0.3]
    colour[40:44, 50:54] = [0.2 + 0.3, 0.5 - 0.3 * 0.2126 / 0.7152, 0.3]
    assert np.ptp(made(colour, colour)[REGION]) < 1e-5
    assert np.ptp(made(colour, colour, channel="chroma")[REGION]) > 0.3


@pytest.mark.parametrize("how", [{"deflicker": "global"}, {"deflicker": "local"}, {"normalise": True}])
def test_flicker_is_taken_out(how):
    dim = (RGB * 0.7).astype(np.float32)
    assert np.abs(made(dim, **how) - made(**how))[REGION].max() < 0.01


def test_contrast_gamma_blur_sharpen_and_denoise_do_what_they_say():
    plain = made()[REGION]
    assert made(contrast=2.0)[REGION].std() == pytest.approx(2 * plain.std(), rel=0.05)
    assert np.allclose(made(gamma=2.0), GREY**2, atol=1e-5)
    assert made(blur_px=2.0)[REGION].std() < 0.4 * plain.std()
    assert made(sharpen=1.0)[REGION].std() > 1.2 * plain.std()
    assert made(denoise=1.0)[REGION].std() < 0.9 * plain.std()
