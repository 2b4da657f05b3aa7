/** Motion models, simplest first, in words. */
export const MOTIONS = [
  { value: "translation", label: "shift" },
  { value: "rigid", label: "shift and turn" },
  { value: "similarity", label: "shift, turn and size" },
  { value: "affine", label: "with shear" },
  { value: "perspective", label: "full perspective" },
];
