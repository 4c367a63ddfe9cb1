;; The loops of a scan, one block of rows at a time (see program.ts). Plain WebAssembly with SIMD, for three reasons:
;; no bounds checks on every access, full speed from the first row on, and a sum and its row count added by one
;; 128-bit addition. Arguments are byte addresses unless said otherwise. No loop is run with n = 0, and loops that take
;; several rows a step may read and write up to 48 bytes behind the block.
(module
  (memory (import "room" "memory") 0)

  ;; out[i] = min(days[i] - base, span) * stride, as unsigned numbers: the first slot of the day where every day is a
  ;; segment of its own. A blank is the smallest integer, so its distance is greater than any span.
  (func (export "days") (param $days i32) (param $n i32) (param $base i32) (param $span i32) (param $stride i32) (param $out i32)
    (local $end i32) (local $b v128) (local $s v128) (local $w v128)
    (local.set $b (i32x4.splat (local.get $base)))
    (local.set $s (i32x4.splat (local.get $span)))
    (local.set $w (i32x4.splat (local.get $stride)))
    (local.set $end (i32.add (local.get $days) (i32.shl (local.get $n) (i32.const 2))))
    (loop $next
      (v128.store (local.get $out)
        (i32x4.mul (i32x4.min_u (i32x4.sub (v128.load (local.get $days)) (local.get $b)) (local.get $s)) (local.get $w)))
      (local.set $days (i32.add (local.get $days) (i32.const 16)))
      (local.set $out (i32.add (local.get $out) (i32.const 16)))
      (br_if $next (i32.lt_u (local.get $days) (local.get $end)))))

  ;; out[i] = table[days[i] - base], the first slot of the day's segment, or the spare slot for days outside the table.
  (func (export "place") (param $days i32) (param $n i32) (param $base i32) (param $table i32) (param $span i32) (param $spare i32) (param $out i32)
    (local $end i32) (local $d i32)
    (local.set $end (i32.add (local.get $days) (i32.shl (local.get $n) (i32.const 2))))
    (loop $next
      (local.set $d (i32.sub (i32.load (local.get $days)) (local.get $base)))
      (i32.store (local.get $out)
        (if (result i32) (i32.lt_u (local.get $d) (local.get $span))
          (then (i32.load (i32.add (local.get $table) (i32.shl (local.get $d) (i32.const 2)))))
          (else (local.get $spare))))
      (local.set $days (i32.add (local.get $days) (i32.const 4)))
      (local.set $out (i32.add (local.get $out) (i32.const 4)))
      (br_if $next (i32.lt_u (local.get $days) (local.get $end)))))

  ;; slots[i] += codes[i], codes of one byte each.
  (func (export "addBytes") (param $codes i32) (param $n i32) (param $slots i32)
    (local $end i32) (local $c v128)
    (local.set $end (i32.add (local.get $codes) (local.get $n)))
    (loop $next
      (local.set $c (v128.load8x8_u (local.get $codes)))
      (v128.store (local.get $slots)
        (i32x4.add (v128.load (local.get $slots)) (i32x4.extend_low_i16x8_u (local.get $c))))
      (v128.store offset=16 (local.get $slots)
        (i32x4.add (v128.load offset=16 (local.get $slots)) (i32x4.extend_high_i16x8_u (local.get $c))))
      (local.set $codes (i32.add (local.get $codes) (i32.const 8)))
      (local.set $slots (i32.add (local.get $slots) (i32.const 32)))
      (br_if $next (i32.lt_u (local.get $codes) (local.get $end)))))

  ;; The same for codes of two bytes.
  (func (export "addShorts") (param $codes i32) (param $n i32) (param $slots i32)
    (local $end i32)
    (local.set $end (i32.add (local.get $codes) (i32.shl (local.get $n) (i32.const 1))))
    (loop $next
      (v128.store (local.get $slots)
        (i32x4.add (v128.load (local.get $slots)) (v128.load16x4_u (local.get $codes))))
      (local.set $codes (i32.add (local.get $codes) (i32.const 8)))
      (local.set $slots (i32.add (local.get $slots) (i32.const 16)))
      (br_if $next (i32.lt_u (local.get $codes) (local.get $end)))))

  ;; The same for codes of four bytes.
  (func (export "addInts") (param $codes i32) (param $n i32) (param $slots i32)
    (local $end i32)
    (local.set $end (i32.add (local.get $codes) (i32.shl (local.get $n) (i32.const 2))))
    (loop $next
      (v128.store (local.get $slots)
        (i32x4.add (v128.load (local.get $slots)) (v128.load (local.get $codes))))
      (local.set $codes (i32.add (local.get $codes) (i32.const 16)))
      (local.set $slots (i32.add (local.get $slots) (i32.const 16)))
      (br_if $next (i32.lt_u (local.get $codes) (local.get $end)))))

  ;; out[i] = mask[i] ? slots[i] : spare.
  (func (export "drop") (param $slots i32) (param $mask i32) (param $n i32) (param $spare i32) (param $out i32)
    (local $end i32)
    (local.set $end (i32.add (local.get $mask) (local.get $n)))
    (loop $next
      (i32.store (local.get $out)
        (select (i32.load (local.get $slots)) (local.get $spare) (i32.load8_u (local.get $mask))))
      (local.set $slots (i32.add (local.get $slots) (i32.const 4)))
      (local.set $out (i32.add (local.get $out) (i32.const 4)))
      (local.set $mask (i32.add (local.get $mask) (i32.const 1)))
      (br_if $next (i32.lt_u (local.get $mask) (local.get $end)))))

  ;; sums[slot] += value, counts[slot] += 1, which lie side by side: one load, one addition, one store. A blank is NaN,
  ;; differs from itself, and adds nothing to either.
  (func (export "sum") (param $slots i32) (param $values i32) (param $n i32) (param $pairs i32)
    (local $end i32) (local $v v128) (local $at i32)
    (local.set $end (i32.add (local.get $slots) (i32.shl (local.get $n) (i32.const 2))))
    (loop $next
      (local.set $v (v128.load64_splat (local.get $values)))
      (local.set $at (i32.add (local.get $pairs) (i32.shl (i32.load (local.get $slots)) (i32.const 4))))
      (v128.store (local.get $at)
        (f64x2.add (v128.load (local.get $at))
          (v128.and (f64x2.eq (local.get $v) (local.get $v))
            (f64x2.replace_lane 1 (local.get $v) (f64.const 1)))))
      (local.set $slots (i32.add (local.get $slots) (i32.const 4)))
      (local.set $values (i32.add (local.get $values) (i32.const 8)))
      (br_if $next (i32.lt_u (local.get $slots) (local.get $end)))))

  ;; counts[slot] += 1.
  (func (export "count") (param $slots i32) (param $n i32) (param $counts i32)
    (local $end i32) (local $at i32)
    (local.set $end (i32.add (local.get $slots) (i32.shl (local.get $n) (i32.const 2))))
    (loop $next
      (local.set $at (i32.add (local.get $counts) (i32.shl (i32.load (local.get $slots)) (i32.const 3))))
      (f64.store (local.get $at) (f64.add (f64.load (local.get $at)) (f64.const 1)))
      (local.set $slots (i32.add (local.get $slots) (i32.const 4)))
      (br_if $next (i32.lt_u (local.get $slots) (local.get $end)))))

  ;; least[slot] = the lesser of both; the accumulators start as NaN, and a NaN on either side gives way to the other.
  (func (export "least") (param $slots i32) (param $values i32) (param $n i32) (param $least i32)
    (local $end i32) (local $v f64) (local $at i32)
    (local.set $end (i32.add (local.get $slots) (i32.shl (local.get $n) (i32.const 2))))
    (loop $next
      (local.set $v (f64.load (local.get $values)))
      (local.set $at (i32.add (local.get $least) (i32.shl (i32.load (local.get $slots)) (i32.const 3))))
      (if (i32.and (f64.eq (local.get $v) (local.get $v)) (i32.eqz (f64.le (f64.load (local.get $at)) (local.get $v))))
        (then (f64.store (local.get $at) (local.get $v))))
      (local.set $slots (i32.add (local.get $slots) (i32.const 4)))
      (local.set $values (i32.add (local.get $values) (i32.const 8)))
      (br_if $next (i32.lt_u (local.get $slots) (local.get $end)))))

  ;; greatest[slot] = the greater of both.
  (func (export "greatest") (param $slots i32) (param $values i32) (param $n i32) (param $greatest i32)
    (local $end i32) (local $v f64) (local $at i32)
    (local.set $end (i32.add (local.get $slots) (i32.shl (local.get $n) (i32.const 2))))
    (loop $next
      (local.set $v (f64.load (local.get $values)))
      (local.set $at (i32.add (local.get $greatest) (i32.shl (i32.load (local.get $slots)) (i32.const 3))))
      (if (i32.and (f64.eq (local.get $v) (local.get $v)) (i32.eqz (f64.ge (f64.load (local.get $at)) (local.get $v))))
        (then (f64.store (local.get $at) (local.get $v))))
      (local.set $slots (i32.add (local.get $slots) (i32.const 4)))
      (local.set $values (i32.add (local.get $values) (i32.const 8)))
      (br_if $next (i32.lt_u (local.get $slots) (local.get $end))))))
