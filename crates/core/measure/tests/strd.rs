//! Least squares against certified values: NIST Statistical Reference Datasets, linear regression (data and certified
//! values from memory; a wrong digit of either would show).
#![allow(clippy::unwrap_used)]

use wattotherm_measure::least_squares;

fn close(got: f64, certified: f64, share: f64) {
    assert!(
        (got - certified).abs() <= share * certified.abs(),
        "{got} against {certified}"
    );
}

#[test]
fn longley_is_met_to_seven_digits() {
    const DATA: [[f64; 7]; 16] = [
        [60323.0, 83.0, 234_289.0, 2356.0, 1590.0, 107_608.0, 1947.0],
        [61122.0, 88.5, 259_426.0, 2325.0, 1456.0, 108_632.0, 1948.0],
        [60171.0, 88.2, 258_054.0, 3682.0, 1616.0, 109_773.0, 1949.0],
        [61187.0, 89.5, 284_599.0, 3351.0, 1650.0, 110_929.0, 1950.0],
        [63221.0, 96.2, 328_975.0, 2099.0, 3099.0, 112_075.0, 1951.0],
        [63639.0, 98.1, 346_999.0, 1932.0, 3594.0, 113_270.0, 1952.0],
        [64989.0, 99.0, 365_385.0, 1870.0, 3547.0, 115_094.0, 1953.0],
        [63761.0, 100.0, 363_112.0, 3578.0, 3350.0, 116_219.0, 1954.0],
        [66019.0, 101.2, 397_469.0, 2904.0, 3048.0, 117_388.0, 1955.0],
        [67857.0, 104.6, 419_180.0, 2822.0, 2857.0, 118_734.0, 1956.0],
        [68169.0, 108.4, 442_769.0, 2936.0, 2798.0, 120_445.0, 1957.0],
        [66513.0, 110.8, 444_546.0, 4681.0, 2637.0, 121_950.0, 1958.0],
        [68655.0, 112.6, 482_704.0, 3813.0, 2552.0, 123_366.0, 1959.0],
        [69564.0, 114.2, 502_601.0, 3931.0, 2514.0, 125_368.0, 1960.0],
        [69331.0, 115.7, 518_173.0, 4806.0, 2572.0, 127_852.0, 1961.0],
        [70551.0, 116.9, 554_894.0, 4007.0, 2827.0, 130_081.0, 1962.0],
    ];
    const CERTIFIED: [[f64; 2]; 7] = [
        [-3_482_258.634_595_82, 890_420.383_607_373],
        [15.061_872_271_373_3, 84.914_925_774_766_9],
        [-0.035_819_179_292_591, 0.033_491_007_772_243],
        [-2.020_229_803_816_83, 0.488_399_681_651_699],
        [-1.033_226_867_173_59, 0.214_274_163_161_675],
        [-0.051_104_105_653_580_7, 0.226_073_200_069_37],
        [1_829.151_464_613_55, 455.478_499_142_212],
    ];
    let rows: Vec<Vec<f64>> = DATA
        .iter()
        .map(|r| std::iter::once(1.0).chain(r[1..].iter().copied()).collect())
        .collect();
    let y: Vec<f64> = DATA.iter().map(|r| r[0]).collect();
    let fit = least_squares(&rows, &y).unwrap();
    close(fit.residual_sd, 304.854_073_561_965, 1e-7);
    for (i, [value, error]) in CERTIFIED.iter().enumerate() {
        close(fit.coefficients[i], *value, 1e-7);
        let sd = fit.residual_sd * fit.unit_covariance[(i, i)].sqrt();
        close(sd, *error, 1e-7);
    }
}

/// Polynomials of the fifth degree over 0 to 20: all coefficients are 1.
fn wampler(y: &[f64; 21], sd: f64) {
    let rows: Vec<Vec<f64>> = (0..21)
        .map(|i| (0..6).map(|k| f64::from(i).powi(k)).collect())
        .collect();
    let fit = least_squares(&rows, y).unwrap();
    for c in &fit.coefficients {
        close(*c, 1.0, 1e-6);
    }
    assert!(
        (fit.residual_sd - sd).abs() <= 1e-7 * sd.max(1.0),
        "{}",
        fit.residual_sd
    );
}

#[test]
fn wampler_one_is_exact() {
    let y = std::array::from_fn(|i| {
        let x = f64::from(u32::try_from(i).unwrap());
        (0..6).map(|k| x.powi(k)).sum()
    });
    wampler(&y, 0.0);
}

#[test]
fn wampler_four_drowns_in_noise_and_is_met_all_the_same() {
    wampler(
        &[
            75901.0,
            -204_794.0,
            204_863.0,
            -204_436.0,
            253_665.0,
            -200_894.0,
            214_131.0,
            -185_192.0,
            221_249.0,
            -138_370.0,
            315_911.0,
            -27644.0,
            455_253.0,
            197_434.0,
            783_995.0,
            608_816.0,
            1_370_781.0,
            1_303_798.0,
            2_205_519.0,
            2_408_860.0,
            3_444_321.0,
        ],
        236_014.502_379_268,
    );
}
