;; Looks at every byte of a CSV file, some whole records at a time: whether it is plain (docs/files.md), and whether the fields of some
;; columns are written in a form that a faster reader and ours are known to read alike. What is not plain is left to the scan of
;; csv.ts, which tells what is wrong. `columns` has 4 bytes for each column:
;;   +0 kind: 0 any, 1 a day YYYY-MM-DD, 2 a whole number, 3 a decimal;  +1 the most decimals seen;  +2 1 where a field had another form;
;;   +3 the most decimals without zeros at their end
;; Sixteen bytes are compared at once with everything that means something, so that the loop turns once for each of those and not for
;; each byte; the form of a field is told from one load at its start.
(module
  (memory (export "memory") 2)
  (global $columns (export "columns") i32 (i32.const 1024))
  (global $separator (export "separator") (mut i32) (i32.const 44))
  (global $width (export "width") (mut i32) (i32.const 0))
  (global $records (export "records") (mut i32) (i32.const 0))
  (global $returns (export "returns") (mut i32) (i32.const 0))
  (global $odd i32 (i32.const -1))

  (func $other (param $column i32)
    (i32.store8 offset=2 (local.get $column) (i32.const 1))
    (i32.store8 (local.get $column) (i32.const 0)))

  ;; Which of the first bytes are digits, one bit a byte.
  (func $digits (param $at i32) (result i32)
    (i8x16.bitmask (i8x16.lt_u (i8x16.sub (v128.load (local.get $at)) (i8x16.splat (i32.const 48))) (i8x16.splat (i32.const 10)))))

  ;; A field between two places; an empty one has every form.
  (func $field (param $start i32) (param $end i32) (param $column i32)
    (local $kind i32) (local $length i32) (local $rest i32) (local $signed i32) (local $point i32)
    (local.set $kind (i32.load8_u (local.get $column)))
    (local.set $length (i32.sub (local.get $end) (local.get $start)))
    (if (i32.or (i32.eqz (local.get $kind)) (i32.eqz (local.get $length))) (then (return)))
    (if (i32.eq (local.get $kind) (i32.const 1))
      (then
        ;; There is no year 0.
        (if (i32.and
              (i32.and (i32.eq (local.get $length) (i32.const 10))
                (i32.eq (i32.and (call $digits (local.get $start)) (i32.const 0x3ff)) (i32.const 0x36f)))
              (i32.and (i32.ne (i32.load (local.get $start)) (i32.const 0x30303030))
                (i32.and (i32.eq (i32.load8_u offset=4 (local.get $start)) (i32.const 45))
                  (i32.eq (i32.load8_u offset=7 (local.get $start)) (i32.const 45)))))
          (then (return)))
        (call $other (local.get $column))
        (return)))
    (if (i32.eq (i32.load8_u (local.get $start)) (i32.const 45))
      (then
        (local.set $signed (i32.const 1))
        (local.set $start (i32.add (local.get $start) (i32.const 1)))
        (local.set $length (i32.sub (local.get $length) (i32.const 1)))))
    (if (i32.or (i32.eqz (local.get $length)) (i32.gt_u (local.get $length) (i32.const 16)))
      (then (call $other (local.get $column)) (return)))
    ;; Bytes that are no digits.
    (local.set $rest (i32.and
      (i32.xor (call $digits (local.get $start)) (i32.const 0xffff))
      (i32.sub (i32.shl (i32.const 1) (local.get $length)) (i32.const 1))))
    (if (i32.eqz (local.get $rest))
      (then
        ;; No more digits than a double is sure of. A whole number is told by its text: no zero in front, and no -0.
        (if (i32.or (i32.eq (local.get $length) (i32.const 16))
              (i32.and (i32.eq (local.get $kind) (i32.const 2))
                (i32.and (i32.eq (i32.load8_u (local.get $start)) (i32.const 48))
                  (i32.or (local.get $signed) (i32.gt_u (local.get $length) (i32.const 1))))))
          (then (call $other (local.get $column))))
        (return)))
    (local.set $point (i32.ctz (local.get $rest)))
    (local.set $length (i32.sub (i32.sub (local.get $length) (local.get $point)) (i32.const 1)))
    (if (i32.or
          (i32.or (i32.eq (local.get $kind) (i32.const 2)) (i32.and (local.get $rest) (i32.sub (local.get $rest) (i32.const 1))))
          (i32.or
            (i32.or (i32.eqz (local.get $point)) (i32.ne (i32.load8_u (i32.add (local.get $start) (local.get $point))) (i32.const 46)))
            (i32.or (i32.eqz (local.get $length)) (i32.gt_u (local.get $length) (i32.const 6)))))
      (then (call $other (local.get $column)) (return)))
    (if (i32.gt_u (local.get $length) (i32.load8_u offset=1 (local.get $column)))
      (then (i32.store8 offset=1 (local.get $column) (local.get $length))))
    (block $counted (loop $zero
      (br_if $counted (i32.le_u (local.get $length) (i32.load8_u offset=3 (local.get $column))))
      (local.set $end (i32.sub (local.get $end) (i32.const 1)))
      (if (i32.ne (i32.load8_u (local.get $end)) (i32.const 48))
        (then (i32.store8 offset=3 (local.get $column) (local.get $length)) (br $counted)))
      (local.set $length (i32.sub (local.get $length) (i32.const 1)))
      (br $zero))))

  ;; Where a quoted field ends: at its closing quote; -1 where it is not plain, 0 where it goes on behind the end.
  (func $quoted (param $at i32) (param $end i32) (param $column i32) (result i32)
    (local $byte i32)
    (loop $next
      (if (i32.ge_u (local.get $at) (local.get $end)) (then (return (i32.const 0))))
      (local.set $byte (i32.load8_u (local.get $at)))
      (if (i32.eq (local.get $byte) (i32.const 34))
        (then
          (if (i32.ge_u (i32.add (local.get $at) (i32.const 1)) (local.get $end)) (then (return (i32.const 0))))
          (if (i32.ne (i32.load8_u offset=1 (local.get $at)) (i32.const 34)) (then (return (local.get $at))))
          (call $other (local.get $column))
          (local.set $at (i32.add (local.get $at) (i32.const 1))))
        (else
          (if (i32.or (i32.eq (local.get $byte) (i32.const 0xef))
                (i32.or (i32.eqz (local.get $byte)) (i32.or (i32.eq (local.get $byte) (i32.const 10)) (i32.eq (local.get $byte) (i32.const 13)))))
            (then (return (global.get $odd))))))
      (local.set $at (i32.add (local.get $at) (i32.const 1)))
      (br $next))
    (unreachable))

  ;; Looks at whole records from `at`; answers where the first one begins that does not end before `end`, or -1 where the file is not plain.
  (func (export "look") (param $at i32) (param $end i32) (result i32)
    (local $block v128) (local $marks i32) (local $place i32) (local $byte i32) (local $start i32) (local $column i32) (local $last i32)
    (local $record i32) (local $close i32)
    (local.set $start (local.get $at))
    (local.set $record (local.get $at))
    (local.set $column (global.get $columns))
    (local.set $last (i32.add (global.get $columns) (i32.shl (i32.sub (global.get $width) (i32.const 1)) (i32.const 2))))
    (block $done (loop $blocks
      (br_if $done (i32.ge_u (local.get $at) (local.get $end)))
      (local.set $block (v128.load (local.get $at)))
      (local.set $marks (i8x16.bitmask
        (v128.or
          (v128.or
            (i8x16.eq (local.get $block) (i8x16.splat (global.get $separator)))
            (i8x16.eq (local.get $block) (i8x16.splat (i32.const 10))))
          (v128.or
            (v128.or (i8x16.eq (local.get $block) (i8x16.splat (i32.const 34))) (i8x16.eq (local.get $block) (i8x16.splat (i32.const 13))))
            (v128.or (i8x16.eq (local.get $block) (i8x16.splat (i32.const 0))) (i8x16.eq (local.get $block) (i8x16.splat (i32.const 0xef))))))))
      (block $over (loop $mark
        (br_if $over (i32.eqz (local.get $marks)))
        (local.set $place (i32.add (local.get $at) (i32.ctz (local.get $marks))))
        (br_if $done (i32.ge_u (local.get $place) (local.get $end)))
        (local.set $marks (i32.and (local.get $marks) (i32.sub (local.get $marks) (i32.const 1))))
        (local.set $byte (i32.load8_u (local.get $place)))
        (if (i32.eq (local.get $byte) (global.get $separator))
          (then
            (if (i32.load8_u (local.get $column)) (then (call $field (local.get $start) (local.get $place) (local.get $column))))
            (if (i32.eq (local.get $column) (local.get $last)) (then (return (global.get $odd))))
            (local.set $column (i32.add (local.get $column) (i32.const 4)))
            (local.set $start (i32.add (local.get $place) (i32.const 1)))
            (br $mark)))
        (if (i32.eq (local.get $byte) (i32.const 10))
          (then
            (local.set $close (local.get $place))
            (if (i32.gt_u (local.get $place) (local.get $start))
              (then (if (i32.eq (i32.load8_u (i32.sub (local.get $place) (i32.const 1))) (i32.const 13))
                (then
                  (local.set $close (i32.sub (local.get $place) (i32.const 1)))
                  (global.set $returns (i32.add (global.get $returns) (i32.const 1)))))))
            (if (i32.load8_u (local.get $column)) (then (call $field (local.get $start) (local.get $close) (local.get $column))))
            ;; Too few fields, or a line with nothing on it.
            (if (i32.or (i32.ne (local.get $column) (local.get $last)) (i32.eq (local.get $close) (local.get $record)))
              (then (return (global.get $odd))))
            (global.set $records (i32.add (global.get $records) (i32.const 1)))
            (local.set $start (i32.add (local.get $place) (i32.const 1)))
            (local.set $record (local.get $start))
            (local.set $column (global.get $columns))
            (br $mark)))
        (if (i32.eq (local.get $byte) (i32.const 13))
          (then
            (br_if $done (i32.ge_u (i32.add (local.get $place) (i32.const 1)) (local.get $end)))
            (if (i32.ne (i32.load8_u offset=1 (local.get $place)) (i32.const 10)) (then (return (global.get $odd))))
            (br $mark)))
        ;; A quote begins a field; anywhere else it is a character like any other, and the file not plain.
        (if (i32.or (i32.ne (local.get $byte) (i32.const 34)) (i32.ne (local.get $place) (local.get $start)))
          (then (return (global.get $odd))))
        (local.set $close (call $quoted (i32.add (local.get $place) (i32.const 1)) (local.get $end) (local.get $column)))
        (br_if $done (i32.eqz (local.get $close)))
        (if (i32.eq (local.get $close) (global.get $odd)) (then (return (global.get $odd))))
        (call $field (i32.add (local.get $place) (i32.const 1)) (local.get $close) (local.get $column))
        (local.set $at (i32.add (local.get $close) (i32.const 1)))
        (br_if $done (i32.ge_u (local.get $at) (local.get $end)))
        (local.set $byte (i32.load8_u (local.get $at)))
        (if (i32.and (i32.ne (local.get $byte) (global.get $separator))
              (i32.and (i32.ne (local.get $byte) (i32.const 10)) (i32.ne (local.get $byte) (i32.const 13))))
          (then (return (global.get $odd))))
        ;; What is left of the field is nothing.
        (local.set $start (local.get $at))
        (br $blocks)))
      (local.set $at (i32.add (local.get $at) (i32.const 16)))
      (br $blocks)))
    (local.get $record)))
