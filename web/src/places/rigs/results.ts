/** What the calibrations of a rig bring; those of earlier versions say nothing of tolerances. */
export interface ScaleResult {
  um_per_px: number;
  u_um_per_px: number;
  nominal_um_per_px: number;
  deviation: number;
  deviation_is_large: boolean;
  must_be_confirmed?: boolean;
  tolerance_percent?: number;
  tolerance_assumed?: boolean;
  lines?: number;
  distortion?: number | null;
}

export interface RampResult {
  um_per_unit: number;
  u_um_per_unit: number;
  um_per_frame: number;
  residual_um: number;
  residuals_um: number[];
  bands: Array<{ file: string; position_px: number }>;
  without_band: string[];
  bend_um_per_frame2: number;
  scale_from: string;
  slope_tolerance_deg?: number;
  slope_tolerance_assumed?: boolean;
}
