// @ts-nocheck
// Written out from the core's deformers by `./crown deformers`; not to be edited.
let R1 = 0, R2 = 0, R3 = 0;
function lattice_(x, y, z, seed) {
  let h = Math.imul(x, 0x8DA6B343) + Math.imul(y, 0xD8163841) + Math.imul(z, 0xCB1AB31F) + Math.imul(seed, 0x165667B1);
  h = Math.imul(h ^ (h >>> 16), 0x21F0AAAD);
  h = Math.imul(h ^ (h >>> 15), 0xD35A2D97);
  return ((h ^ (h >>> 15)) >>> 8) / 16777216;
}

function fraction_(x_) {
  return (x_ - Math.floor(x_));
}

function slope_(h_, x_, y_, z_) {
  let k_ = Math.floor((h_ * 16.0));
  let u_ = ((k_ < 8.0) ? x_ : y_);
  let v_ = ((k_ < 4.0) ? y_ : ((k_ == 12.0) ? x_ : ((k_ == 14.0) ? x_ : z_)));
  let a_ = ((fraction_((k_ * 0.5)) < 0.25) ? u_ : (-u_));
  let b_ = ((fraction_((Math.floor((k_ * 0.5)) * 0.5)) < 0.25) ? v_ : (-v_));
  return (a_ + b_);
}

function fade_(t_) {
  return (((t_ * t_) * t_) * ((t_ * ((t_ * 6.0) - 15.0)) + 10.0));
}

function blend_(a_, b_, t_) {
  return (a_ + ((b_ - a_) * t_));
}

function noise_(x_, y_, z_, seed_) {
  let i_ = Math.floor(x_);
  let j_ = Math.floor(y_);
  let k_ = Math.floor(z_);
  let u_ = (x_ - i_);
  let v_ = (y_ - j_);
  let w_ = (z_ - k_);
  let a_ = fade_(u_);
  let b_ = fade_(v_);
  let c_ = fade_(w_);
  let n000_ = slope_(lattice_(i_, j_, k_, seed_), u_, v_, w_);
  let n100_ = slope_(lattice_((i_ + 1.0), j_, k_, seed_), (u_ - 1.0), v_, w_);
  let n010_ = slope_(lattice_(i_, (j_ + 1.0), k_, seed_), u_, (v_ - 1.0), w_);
  let n110_ = slope_(lattice_((i_ + 1.0), (j_ + 1.0), k_, seed_), (u_ - 1.0), (v_ - 1.0), w_);
  let n001_ = slope_(lattice_(i_, j_, (k_ + 1.0), seed_), u_, v_, (w_ - 1.0));
  let n101_ = slope_(lattice_((i_ + 1.0), j_, (k_ + 1.0), seed_), (u_ - 1.0), v_, (w_ - 1.0));
  let n011_ = slope_(lattice_(i_, (j_ + 1.0), (k_ + 1.0), seed_), u_, (v_ - 1.0), (w_ - 1.0));
  let n111_ = slope_(lattice_((i_ + 1.0), (j_ + 1.0), (k_ + 1.0), seed_), (u_ - 1.0), (v_ - 1.0), (w_ - 1.0));
  let low_ = blend_(blend_(n000_, n100_, a_), blend_(n010_, n110_, a_), b_);
  let high_ = blend_(blend_(n001_, n101_, a_), blend_(n011_, n111_, a_), b_);
  return blend_(low_, high_, c_);
}

function circled_(a_) {
  let k_ = Math.floor(((a_ * 0.6366197723675814) + 0.5));
  let r_ = (((a_ - (k_ * 1.5703125)) - (k_ * 0.0004837512969970703)) - (k_ * 7.549789954891882e-08));
  let q_ = (r_ * r_);
  let s_ = (r_ + ((r_ * q_) * ((-0.16666666666666666) + (q_ * (0.008333333333333333 + (q_ * ((-0.0001984126984126984) + (q_ * (2.7557319223985893e-06 - (q_ * 2.505210838544172e-08))))))))));
  let c_ = (1.0 + (q_ * ((-0.5) + (q_ * (0.041666666666666664 + (q_ * ((-0.001388888888888889) + (q_ * (2.48015873015873e-05 + (q_ * ((-2.755731922398589e-07) + (q_ * 2.08767569878681e-09))))))))))));
  let turn_ = fraction_((k_ * 0.25));
  let one_ = ((fraction_((k_ * 0.5)) > 0.25) ? c_ : s_);
  let two_ = ((fraction_((k_ * 0.5)) > 0.25) ? s_ : c_);
  { const first = ((turn_ > 0.4) ? (-one_) : one_); R1 = ((Math.abs((turn_ - 0.375)) < 0.2) ? (-two_) : two_); return first; }
}

function arc_(a_) {
  let sine_ = circled_(a_);
  let cosine_ = R1;
  let q_ = (a_ * a_);
  let safe_ = ((Math.abs(a_) < 0.5) ? 1.0 : a_);
  let less_ = (((-q_) * (1.0 - ((q_ * (1.0 - ((q_ * (1.0 - ((q_ * (1.0 - (q_ / 110.0))) / 72.0))) / 42.0))) / 20.0))) / 6.0);
  let rise_ = ((0.5 * a_) * (1.0 - ((q_ * (1.0 - ((q_ * (1.0 - ((q_ * (1.0 - (q_ / 90.0))) / 56.0))) / 30.0))) / 12.0)));
  { const first = sine_; R1 = cosine_; R2 = ((Math.abs(a_) < 0.5) ? less_ : ((sine_ / safe_) - 1.0)); R3 = ((Math.abs(a_) < 0.5) ? rise_ : ((1.0 - cosine_) / safe_)); return first; }
}

function bend_(s_, t_, h_, angle_, length_, c_, d_, e_, f_) {
  let along_ = Math.min(Math.max(s_, ((-0.5) * length_)), (0.5 * length_));
  let beyond_ = (s_ - along_);
  let sine_ = arc_(((angle_ * along_) / length_));
  let cosine_ = R1;
  let less_ = R2;
  let rise_ = R3;
  { const first = (((along_ * less_) - (t_ * sine_)) + (beyond_ * (cosine_ - 1.0))); R1 = (((along_ * rise_) + (t_ * (cosine_ - 1.0))) + (beyond_ * sine_)); R2 = 0.0; return first; }
}

function curl_(s_, t_, h_, rolled_, end_, radius_, gap_, e_, f_) {
  let past_ = Math.max((s_ - (end_ - rolled_)), 0.0);
  let along_ = Math.min(past_, rolled_);
  let beyond_ = (past_ - along_);
  let a_ = (gap_ * 0.15915494309189535);
  let outer_ = Math.sqrt(((radius_ * radius_) + ((2.0 * a_) * rolled_)));
  let inner_ = Math.sqrt(((radius_ * radius_) + ((2.0 * a_) * (rolled_ - along_))));
  let turn_ = ((2.0 * along_) / (outer_ + inner_));
  let sine_ = circled_(turn_);
  let cosine_ = R1;
  let x_ = ((inner_ * sine_) + (a_ * (1.0 - cosine_)));
  let y_ = (((a_ * turn_) + (inner_ * (1.0 - cosine_))) - (a_ * sine_));
  { const first = (((x_ - along_) - (t_ * sine_)) + (beyond_ * (cosine_ - 1.0))); R1 = ((y_ + (t_ * (cosine_ - 1.0))) + (beyond_ * sine_)); R2 = 0.0; return first; }
}

function twist_(s_, t_, h_, angle_, length_, c_, d_, e_, f_) {
  let x_ = Math.min(Math.max((s_ / length_), (-0.5)), 0.5);
  let sine_ = circled_(((angle_ * x_) * (1.5 - ((2.0 * x_) * x_))));
  let cosine_ = R1;
  { const first = 0.0; R1 = ((t_ * (cosine_ - 1.0)) - (h_ * sine_)); R2 = ((t_ * sine_) + (h_ * (cosine_ - 1.0))); return first; }
}

function wave_(s_, t_, h_, height_, width_, travelled_, narrow_, how_, f_) {
  let x_ = ((s_ - travelled_) / width_);
  x_ = ((how_ < 0.5) ? Math.max(x_, (-0.5)) : x_);
  x_ = ((how_ < 1.5) ? Math.min(x_, 0.5) : x_);
  x_ = (fraction_((x_ + 0.5)) - 0.5);
  let __ = circled_((6.283185307179586 * x_));
  let cosine_ = R1;
  let crest_ = Math.max((0.5 + (0.5 * cosine_)), 1e-12);
  { const first = 0.0; R1 = (height_ * ((narrow_ == 1.0) ? crest_ : Math.pow(crest_, narrow_))); R2 = 0.0; return first; }
}

function globe_(s_, t_, h_, curvature_, b_, c_, d_, e_, f_) {
  let sine_ = arc_((curvature_ * s_));
  let cosine_ = R1;
  let less_ = R2;
  let rise_ = R3;
  let up_sine_ = arc_((curvature_ * t_));
  let up_cosine_ = R1;
  let up_less_ = R2;
  let up_rise_ = R3;
  { const first = ((s_ * ((less_ * up_cosine_) + (up_cosine_ - 1.0))) + ((h_ * up_cosine_) * sine_)); R1 = ((t_ * up_less_) + (h_ * up_sine_)); R2 = (((h_ * ((up_cosine_ * cosine_) - 1.0)) - ((t_ * up_rise_) * cosine_)) - (s_ * rise_)); return first; }
}

function ripple_(s_, t_, h_, height_, size_, share_, first_, second_, f_) {
  let a_ = noise_((s_ / size_), (t_ / size_), (h_ / size_), first_);
  let b_ = noise_((s_ / size_), (t_ / size_), (h_ / size_), second_);
  { const first = 0.0; R1 = ((height_ * blend_(a_, b_, share_)) / Math.sqrt((1.0 - ((2.0 * share_) * (1.0 - share_))))); R2 = 0.0; return first; }
}

function blast_(s_, t_, h_, strength_, core_, rough_, size_, seed_, f_) {
  let far_ = Math.sqrt(((((s_ * s_) + (t_ * t_)) + (h_ * h_)) + (core_ * core_)));
  let by_ = ((strength_ / far_) * (1.0 + (rough_ * noise_((s_ / size_), (t_ / size_), (h_ / size_), seed_))));
  { const first = (s_ * by_); R1 = (t_ * by_); R2 = (h_ * by_); return first; }
}

function outside_(shape_, x_, y_, z_, a_, b_, c_) {
  if ((shape_ < 2.5)) {
    if ((shape_ < 1.5)) {
      return (Math.abs(x_) - a_);
    }
    return (Math.sqrt((((x_ * x_) + (y_ * y_)) + (z_ * z_))) - a_);
  }
  if ((shape_ < 3.5)) {
    let u_ = (Math.abs(x_) - a_);
    let v_ = (Math.abs(y_) - b_);
    let w_ = (Math.abs(z_) - c_);
    let far_ = (((Math.max(u_, 0.0) * Math.max(u_, 0.0)) + (Math.max(v_, 0.0) * Math.max(v_, 0.0))) + (Math.max(w_, 0.0) * Math.max(w_, 0.0)));
    return (Math.sqrt(far_) + Math.min(Math.max(Math.max(u_, v_), w_), 0.0));
  }
  let around_ = (Math.sqrt(((x_ * x_) + (y_ * y_))) - a_);
  return (Math.sqrt(((around_ * around_) + (z_ * z_))) - b_);
}

function between_(before_, first_, second_, after_, x_) {
  let s_ = Math.min(Math.max(x_, 0.0), 1.0);
  let begin_ = (0.5 * (second_ - before_));
  let end_ = (0.5 * (after_ - first_));
  let bend_ = ((((3.0 * (second_ - first_)) - (2.0 * begin_)) - end_) + (s_ * (((2.0 * (first_ - second_)) + begin_) + end_)));
  return (((first_ + (s_ * (begin_ + (s_ * bend_)))) + (Math.min(x_, 0.0) * begin_)) + (Math.max((x_ - 1.0), 0.0) * end_));
}

function joined_(mix_, total_, felt_) {
  if ((mix_ < 1.5)) {
    if ((mix_ < 0.5)) {
      return felt_;
    }
    return Math.max(total_, felt_);
  }
  if ((mix_ < 2.5)) {
    return (total_ + felt_);
  }
  return (total_ * felt_);
}

function laid_(s_, t_, h_, begun_, apart_, x_, y_, turn_, after_) {
  let along_ = Math.min(Math.max((s_ - begun_), 0.0), apart_);
  let beyond_ = ((s_ - begun_) - along_);
  let sine_ = circled_(turn_);
  let cosine_ = R1;
  let on_sine_ = arc_((((after_ - turn_) * along_) / apart_));
  let on_cosine_ = R1;
  let less_ = R2;
  let rise_ = R3;
  let last_sine_ = ((sine_ * on_cosine_) + (cosine_ * on_sine_));
  let last_cosine_ = ((cosine_ * on_cosine_) - (sine_ * on_sine_));
  let ahead_ = (along_ + (along_ * less_));
  let aside_ = (along_ * rise_);
  { const first = (((((x_ - s_) + (ahead_ * cosine_)) - (aside_ * sine_)) + (beyond_ * last_cosine_)) - (t_ * last_sine_)); R1 = ((((y_ + (ahead_ * sine_)) + (aside_ * cosine_)) + (beyond_ * last_sine_)) + (t_ * (last_cosine_ - 1.0))); R2 = 0.0; return first; }
}

function alongPath(r, i, s, t, h) {
  const begun = r[i + 23], apart = r[i + 24];
  const j = Math.min(Math.max(Math.floor((s - begun) / apart), 0), 12), k = j + 1;
  const a = i + (Math.floor(j / 7) - 2) * 28 + 3 * (j % 7);
  const b = i + (Math.floor(k / 7) - 2) * 28 + 3 * (k % 7);
  return laid_(s, t, h, begun + j * apart, apart, r[a], r[a + 1], r[a + 2], r[b + 2]);
}
function chosen(r, i, s, t, h) {
  switch (r[i + 21]) {
    case 1: return bend_(s, t, h, r[i + 22], r[i + 23], r[i + 24], r[i + 25], r[i + 26], r[i + 27]);
    case 2: return curl_(s, t, h, r[i + 22], r[i + 23], r[i + 24], r[i + 25], r[i + 26], r[i + 27]);
    case 3: return twist_(s, t, h, r[i + 22], r[i + 23], r[i + 24], r[i + 25], r[i + 26], r[i + 27]);
    case 4: return wave_(s, t, h, r[i + 22], r[i + 23], r[i + 24], r[i + 25], r[i + 26], r[i + 27]);
    case 5: return globe_(s, t, h, r[i + 22], r[i + 23], r[i + 24], r[i + 25], r[i + 26], r[i + 27]);
    case 6: return ripple_(s, t, h, r[i + 22], r[i + 23], r[i + 24], r[i + 25], r[i + 26], r[i + 27]);
    case 7: return blast_(s, t, h, r[i + 22], r[i + 23], r[i + 24], r[i + 25], r[i + 26], r[i + 27]);
    case 8: return alongPath(r, i, s, t, h);
  }
  R1 = R2 = 0;
  return 0;
}
function felt(r, i, share, weight) {
  const place = (r[i + 24] > 0.5 ? weight : share) * 18;
  const j = Math.min(Math.max(Math.floor(place), 0), 17);
  const made = between_(r[i + j], r[i + j + 1], r[i + j + 2], r[i + j + 3], place - j);
  const now = joined_(r[i + 23], weight, made);
  return r[i + 25] > 0.5 ? Math.min(Math.max(now, 0), 1) : now;
}
function shared(r, i, x, y, z) {
  const s = r[i] * x + r[i + 1] * y + r[i + 2] * z + r[i + 3];
  const t = r[i + 4] * x + r[i + 5] * y + r[i + 6] * z + r[i + 7];
  const h = r[i + 8] * x + r[i + 9] * y + r[i + 10] * z + r[i + 11];
  const far = outside_(r[i + 16], s, t, h, r[i + 12], r[i + 13], r[i + 14]);
  return Math.min(Math.max(far / r[i + 15], 0), 1);
}
export function bent(r: ArrayLike<number>, first: number, count: number, x: number, y: number, z: number) {
  const a = x, b = y, c = z;
  let share = 0, weight = 1;
  for (let k = 0; k < count; k++) {
    const i = first + k * 28;
    if (r[i + 21] === 11) continue;
    if (r[i + 21] > 8.5) {
      if (r[i + 21] > 9.5) weight = felt(r, i, share, weight);
      else share = r[i + 17] > 0.5 ? shared(r, i, x, y, z) : shared(r, i, a, b, c);
      continue;
    }
    const by = weight;
    weight = 1;
    if (r[i + 21] === 0 || r[i + 22] === 0) continue;
    const s = r[i] * x + r[i + 1] * y + r[i + 2] * z + r[i + 3];
    const t = r[i + 4] * x + r[i + 5] * y + r[i + 6] * z + r[i + 7];
    const h = r[i + 8] * x + r[i + 9] * y + r[i + 10] * z + r[i + 11];
    const p = chosen(r, i, s, t, h), q = R1, v = R2;
    x = x + by * (r[i + 12] * p + r[i + 13] * q + r[i + 14] * v);
    y = y + by * (r[i + 15] * p + r[i + 16] * q + r[i + 17] * v);
    z = z + by * (r[i + 18] * p + r[i + 19] * q + r[i + 20] * v);
  }
  return [x, y, z] as [number, number, number];
}
