"""Statistics against the certified values of the Statistical Reference Datasets (univariate summary), and drift
against scatter.

Each set is written in whole units, as the core takes them; those that follow no formula stand in `certified.py`.
"""

import math
from fractions import Fraction

import numpy as np
import pytest

from fleet_rival.core import statistics
from tests.core import certified

# Name: values in whole units, units to one, certified mean, certified standard deviation.
CERTIFIED = {
    "NumAcc1": ([10_000_001, 10_000_003, 10_000_002], 1, 10_000_002.0, 1.0),
    "NumAcc2": ([12, *([11, 13] * 500)], 10, 1.2, 0.1),
    "NumAcc3": ([10_000_002, *([10_000_001, 10_000_003] * 500)], 10, 1_000_000.2, 0.1),
    "NumAcc4": ([100_000_002, *([100_000_001, 100_000_003] * 500)], 10, 10_000_000.2, 0.1),
}


def digits(found: float, certified: float) -> float:
    """Agreeing significant digits: −log10 of the relative error."""
    return math.inf if found == certified else -math.log10(abs(found - certified) / abs(certified))


CERTIFIED["Lottery"] = ([int(word) for word in certified.LOTTERY.split()], 1, 518.958715596330, 291.699727470969)
CERTIFIED["Lew"] = ([int(word) for word in certified.LEW.split()], 1, -177.435, 277.332168044316)


def digits_of_pi(count: int) -> list[int]:
    """The set PiDigits, by Machin's formula in whole numbers with ten digits to spare."""
    unit = 10 ** (count + 10)

    def arctan_of_one_over(whole: int) -> int:
        total, power, odd = 0, unit // whole, 1
        while power:
            total += power // odd if odd % 4 == 1 else -(power // odd)
            power //= whole * whole
            odd += 2
        return total

    found = 4 * (4 * arctan_of_one_over(5) - arctan_of_one_over(239))
    # In two pieces: so long a number isn't written at once.
    front, back = divmod(found, 10 ** (count // 2))
    return [int(digit) for digit in f"{front}{back:0{count // 2}}"[:count]]


# The published set has a 3 where π has an 8; its certified values are those of what was published.
PUBLISHED_PI = [3 if place == 956 else digit for place, digit in enumerate(digits_of_pi(5000))]
CERTIFIED["PiDigits"] = (PUBLISHED_PI, 1, 4.5348, 2.86733906028871)


@pytest.mark.parametrize("name", CERTIFIED)
def test_mean_and_deviation_are_the_certified_ones(name: str) -> None:
    values, unit, mean, deviation = CERTIFIED[name]
    assert digits(float(statistics.mean(values)) / unit, mean) >= 14
    assert digits(statistics.standard_deviation(values) / unit, deviation) >= 14


@pytest.mark.parametrize("offset", [0, 10**9, 10**15])
def test_a_large_common_offset_costs_no_digit(offset: int) -> None:
    rng = np.random.default_rng(9)
    values = [int(value) for value in rng.integers(0, 10**6, 400)]
    moved = [value + offset for value in values]
    assert statistics.standard_deviation(moved) == statistics.standard_deviation(values)
    assert statistics.median_abs_deviation(moved) == statistics.median_abs_deviation(values)
    assert statistics.median(moved) - offset == statistics.median(values)
    numbers = list(range(400))
    assert statistics.theil_sen_slope(numbers, moved) == statistics.theil_sen_slope(numbers, values)


def test_the_slope_is_the_median_of_all_slopes_and_outliers_hardly_move_it() -> None:
    numbers = [1, 2, 3, 5, 8, 13]
    values = [100 * number for number in numbers]
    assert statistics.theil_sen_slope(numbers, values) == 100
    values[2] += 100_000
    assert 90 <= statistics.theil_sen_slope(numbers, values) <= 110
    pairs = [(values[j] - values[i]) / (numbers[j] - numbers[i]) for i in range(6) for j in range(i + 1, 6)]
    assert statistics.theil_sen_slope(numbers, values) == pytest.approx(float(np.median(pairs)))
    assert statistics.theil_sen_slope([4], [100]) == 0


@pytest.mark.parametrize(
    ("value", "rounded"), [(Fraction(1, 2), 0), (Fraction(3, 2), 2), (Fraction(5, 2), 2), (2.5, 2), (None, None)]
)
def test_statistics_are_rounded_half_to_even(value: Fraction | float | None, rounded: int | None) -> None:
    assert statistics.round_half_even(value) == rounded


def rows_of(text: str) -> np.ndarray:
    """Rows behind semicolons, numbers behind blanks."""
    return np.asarray([[float(number) for number in row.split()] for row in text.split(";")])


# Norris: calibration of ozone monitors, y and x.
NORRIS = rows_of(
    "0.1 0.2; 338.8 337.4; 118.1 118.2; 888.0 884.6; 9.2 10.1; 228.1 226.5; 668.5 666.3; 998.5 996.3;"
    "449.1 448.6; 778.9 777.0; 559.2 558.2; 0.3 0.4; 0.1 0.6; 778.1 775.5; 668.8 666.9; 339.3 338.0;"
    "448.9 447.5; 10.8 11.6; 557.7 556.0; 228.3 228.1; 998.0 995.8; 888.8 887.6; 119.6 120.2; 0.3 0.3;"
    "0.6 0.3; 557.6 556.8; 339.3 339.1; 888.0 887.2; 998.5 999.0; 778.9 779.0; 10.2 11.1; 117.6 118.3;"
    "228.9 229.2; 668.4 669.1; 449.2 448.9; 0.2 0.5"
)
# Longley: employment and six figures of an economy that rise together; ill-conditioned.
LONGLEY = rows_of(
    "60323 83.0 234289 2356 1590 107608 1947; 61122 88.5 259426 2325 1456 108632 1948;"
    "60171 88.2 258054 3682 1616 109773 1949; 61187 89.5 284599 3351 1650 110929 1950;"
    "63221 96.2 328975 2099 3099 112075 1951; 63639 98.1 346999 1932 3594 113270 1952;"
    "64989 99.0 365385 1870 3547 115094 1953; 63761 100.0 363112 3578 3350 116219 1954;"
    "66019 101.2 397469 2904 3048 117388 1955; 67857 104.6 419180 2822 2857 118734 1956;"
    "68169 108.4 442769 2936 2798 120445 1957; 66513 110.8 444546 4681 2637 121950 1958;"
    "68655 112.6 482704 3813 2552 123366 1959; 69564 114.2 502601 3931 2514 125368 1960;"
    "69331 115.7 518173 4806 2572 127852 1961; 70551 116.9 554894 4007 2827 130081 1962"
)


# Pontius: calibration of a load cell, deflection at loads of 150,000 and so on, twice; a parabola.
PONTIUS = rows_of(
    "0.11019 0.21956 0.32949 0.43899 0.54803 0.65694 0.76562 0.87487 0.98292 1.09146 1.20001 1.30822 1.41599 1.52399 "
    "1.63194 1.73947 1.84646"
    " 1.95392 2.06128 2.16844 0.11052 0.22018 0.32939 0.43886 0.54798 0.65739 0.76596 0.87474 0.98300 1.09150 1.20004 "
    "1.30818 1.41613 1.52408"
    " 1.63159 1.73965 1.84696 1.95445 2.06177 2.16829"
)[0]
LOADS = np.tile(np.arange(1, 21) * 150_000.0, 2)


# Noise of Wampler3, of Wampler4 a hundred times, of Wampler5 ten thousand times; it stands at right angles to all
# powers up to the fifth.
WAMPLER_NOISE = np.asarray(
    [
        759,
        -2048,
        2048,
        -2048,
        2523,
        -2048,
        2048,
        -2048,
        1838,
        -2048,
        2048,
        -2048,
        1838,
        -2048,
        2048,
        -2048,
        2523,
        -2048,
        2048,
        -2048,
        759,
    ]
)


def certified_fit(design: np.ndarray, values: np.ndarray) -> tuple[list[float], float]:
    """Coefficients, the intercept first, and the residual standard deviation, on centred data as the core fits."""
    middle = design.mean(axis=0)
    found = statistics.least_squares(design - middle, values - values.mean())
    rest = values - values.mean() - (design - middle) @ found
    free = len(values) - design.shape[1] - 1
    return [float(values.mean() - middle @ found), *map(float, found)], math.sqrt(float(rest @ rest) / free)


@pytest.mark.parametrize(
    ("design", "values", "coefficients", "deviation", "least"),
    [
        pytest.param(
            NORRIS[:, 1:], NORRIS[:, 0], [-0.262323073774029, 1.00211681802045], 0.884796396144373, 12, id="Norris"
        ),
        pytest.param(
            LONGLEY[:, 1:],
            LONGLEY[:, 0],
            [
                -3482258.63459582,
                15.0618722713733,
                -0.358191792925910e-01,
                -2.02022980381683,
                -1.03322686717359,
                -0.511041056535807e-01,
                1829.15146461355,
            ],
            304.854073561965,
            8,
            id="Longley",
        ),
        pytest.param(
            np.column_stack([LOADS, LOADS**2]),
            PONTIUS,
            [0.673565789473684e-03, 0.732059160401003e-06, -0.316081871345029e-14],
            0.205177424076185e-03,
            10,
            id="Pontius",
        ),
        *(
            pytest.param(
                np.vander(np.arange(21.0), 6, increasing=True)[:, 1:],
                np.polynomial.polynomial.polyval(np.arange(21.0), coefficients),
                coefficients,
                None,
                8,
                id=name,
            )
            for name, coefficients in (("Wampler1", [1.0] * 6), ("Wampler2", [1.0, 0.1, 0.01, 0.001, 0.0001, 0.00001]))
        ),
    ],
)
def test_least_squares_gives_the_certified_coefficients(
    design: np.ndarray, values: np.ndarray, coefficients: list[float], deviation: float | None, least: int
) -> None:
    found, rest = certified_fit(design, values)
    assert min(digits(one, other) for one, other in zip(found, coefficients, strict=True)) >= least
    if deviation is not None:
        assert digits(rest, deviation) >= least


FILIP = [
    *(-1467.48961422980, -2772.17959193342, -2316.37108160893, -1127.97394098372, -354.478233703349, -75.1242017393757),
    *(-10.8753180355343, -1.06221498588947, -0.670191154593408e-01, -0.246781078275479e-02, -0.402962525080404e-04),
]


@pytest.mark.parametrize(
    ("x", "y", "coefficients", "deviation"),
    [
        pytest.param(
            *(np.asarray(text.split(), dtype=float) for text in (certified.FILIP_X, certified.FILIP_Y)),
            FILIP,
            0.334801051324544e-02,
            id="Filip",
        ),
        *(
            pytest.param(
                np.arange(21.0),
                np.polynomial.polynomial.polyval(np.arange(21.0), [1.0] * 6) + strength * WAMPLER_NOISE,
                [1.0] * 6,
                strength * 2360.14502379268,
                id=name,
            )
            for name, strength in (("Wampler3", 1), ("Wampler4", 100), ("Wampler5", 10_000))
        ),
    ],
)
def test_polynomials_about_the_middle_have_the_certified_coefficients(
    x: np.ndarray, y: np.ndarray, coefficients: list[float], deviation: float
) -> None:
    """Fitted on centred data, as the core fits, and written in powers of x by exact fractions."""
    count = len(coefficients)
    middle, reach = Fraction(round((x.max() + x.min()) / 2)), 4
    design = np.vander((x - float(middle)) / reach, count, increasing=True)
    found = statistics.least_squares(design, y)
    written = [Fraction(0)] * count
    for power, coefficient in enumerate(found):
        for lower in range(power + 1):
            written[lower] += (
                Fraction(float(coefficient)) / reach**power * math.comb(power, lower) * (-middle) ** (power - lower)
            )
    # Wampler5's noise is twenty million times what is looked for: rounding the coefficients of this form to floats
    # costs the last half digit.
    least = 7.5 if np.ptp(y) > 2e7 else 8
    assert min(digits(float(one), other) for one, other in zip(written, coefficients, strict=True)) >= least
    rest = y - design @ found
    assert digits(math.sqrt(float(rest @ rest) / (len(x) - count)), deviation) >= 8


@pytest.mark.parametrize(
    ("x", "y", "slope", "deviation"),
    [
        (np.arange(60.0, 71), np.arange(130.0, 141), 2.07438016528926, 3.56753034006338),
        (np.arange(4.0, 7), [3.0, 4.0, 4.0], 8 / 11, 0.369274472937998),
    ],
    ids=["NoInt1", "NoInt2"],
)
def test_lines_through_the_origin_are_certified_too(
    x: np.ndarray, y: np.ndarray, slope: float, deviation: float
) -> None:
    [found] = statistics.least_squares(x[:, None], np.asarray(y))
    rest = np.asarray(y) - x * found
    assert digits(float(found), slope) >= 13 and digits(math.sqrt(float(rest @ rest) / (len(x) - 1)), deviation) >= 13


# Michelson's measurements of the speed of light, in units of 0.01 thousand km/s above 299.
MICHELSO = [
    *(
        85,
        74,
        90,
        107,
        93,
        85,
        95,
        98,
        98,
        88,
        100,
        98,
        93,
        65,
        76,
        81,
        100,
        100,
        96,
        96,
        96,
        94,
        96,
        94,
        88,
        80,
        85,
        88,
        90,
        84,
        83,
        79,
        81,
    ),
    *(
        88,
        88,
        83,
        80,
        79,
        76,
        80,
        88,
        88,
        88,
        86,
        72,
        72,
        62,
        86,
        97,
        95,
        88,
        91,
        85,
        87,
        84,
        84,
        85,
        84,
        84,
        84,
        89,
        81,
        81,
        82,
        80,
        77,
        76,
    ),
    *(
        74,
        75,
        76,
        91,
        92,
        89,
        86,
        88,
        72,
        84,
        85,
        85,
        78,
        89,
        84,
        78,
        81,
        76,
        81,
        79,
        81,
        82,
        85,
        87,
        87,
        81,
        74,
        81,
        94,
        95,
        80,
        81,
        87,
    ),
]


# Mavro: a standard of transmittance, in units of 0.0001.
MAVRO = [
    *(
        18,
        17,
        18,
        19,
        18,
        17,
        15,
        14,
        15,
        15,
        17,
        18,
        18,
        19,
        19,
        21,
        20,
        16,
        14,
        13,
        13,
        15,
        15,
        16,
        15,
        14,
        13,
        14,
        15,
        14,
        15,
        16,
        15,
        16,
    ),
    *(19, 20, 20, 21, 22, 23, 24, 25, 27, 26, 26, 26, 27, 26, 25, 24),
]


@pytest.mark.parametrize(
    ("values", "unit", "middle", "deviation"),
    [
        ([29900 + value for value in MICHELSO], 100, 299.8524, 0.0790105478190518),
        ([20000 + value for value in MAVRO], 10_000, 2.001856, 0.000429123454003053),
    ],
    ids=["Michelso", "Mavro"],
)
def test_measured_sets_are_certified_too(values: list[int], unit: int, middle: float, deviation: float) -> None:
    assert float(statistics.mean(values)) / unit == pytest.approx(middle, rel=1e-14)
    assert digits(statistics.standard_deviation(values) / unit, deviation) >= 14
