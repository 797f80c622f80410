//! Pump fuels, ethanol blends and diesel as the engine meets them.

use jamjar_core::calculators::fuel::ethanol_blend;

/// Heat that evaporates a kilogram, MJ/kg: gasoline and ethanol (typical handbook values).
const LATENT: (f64, f64) = (0.35, 0.90);
/// Share of the fuel that evaporates in the charge rather than on the walls (our choice).
const IN_CHARGE: f64 = 0.35;
/// Molar masses, g/mol.
const MOLAR: (f64, f64) = (106.0, 46.07);
/// Research octane number ethanol blends with (Anderson et al. 2012, molar scale).
const ETHANOL_RON: f64 = 109.0;

/// A fuel in the tank.
#[derive(Debug, Clone, PartialEq)]
pub struct SimFuel {
    /// Name on the day sheet.
    pub name: String,
    /// Volume fraction of ethanol.
    pub ethanol: f64,
    /// Stoichiometric air–fuel ratio.
    pub stoich_afr: f64,
    /// Lower heating value, MJ/kg.
    pub lhv_mj_kg: f64,
    /// Density, kg/L.
    pub density_kg_l: f64,
    /// Research octane number.
    pub ron: f64,
    /// Charge cooling beyond gasoline's at λ 0.86, K.
    pub cooling_k: f64,
}

impl SimFuel {
    /// A gasoline–ethanol blend. `ron` of the fuel as sold; when absent it is blended in molar fraction from
    /// a base of RON 93.
    ///
    /// # Formula
    /// `x_m = (e·ρe/Me)/((e·ρe/Me) + ((1−e)·ρg/Mg))`, `RON = (1−x_m)·93 + x_m·109` (Anderson et al. 2012);
    /// cooling `= 0.35·(L_e/(0.86·AFR_e) − L_g/(0.86·AFR_g))/cp`.
    pub fn blend(name: &str, ethanol: f64, ron: Option<f64>) -> Option<Self> {
        let b = ethanol_blend(ethanol).ok()?;
        let (me, mg) = (ethanol * 0.789 / MOLAR.1, (1.0 - ethanol) * 0.745 / MOLAR.0);
        let molar = me / (me + mg);
        let w = b.ethanol_mass_fraction;
        let latent = (1.0 - w) * LATENT.0 + w * LATENT.1;
        let per_air = latent / (0.86 * b.stoich_afr) - LATENT.0 / (0.86 * 14.7);
        Some(Self {
            name: name.to_owned(),
            ethanol,
            stoich_afr: b.stoich_afr,
            lhv_mj_kg: b.lhv_mj_kg,
            density_kg_l: b.density_kg_l,
            ron: ron.unwrap_or((1.0 - molar) * 93.0 + molar * ETHANOL_RON),
            cooling_k: IN_CHARGE * per_air / 1.005e-3,
        })
    }

    /// Diesel, typical.
    pub fn diesel(name: &str) -> Self {
        Self {
            name: name.to_owned(),
            ethanol: 0.0,
            stoich_afr: 14.5,
            lhv_mj_kg: 42.6,
            density_kg_l: 0.832,
            ron: 0.0,
            cooling_k: 0.0,
        }
    }
}
