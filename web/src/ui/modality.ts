let keyboard = false;

if (typeof window !== 'undefined') {
  window.addEventListener('keydown', () => (keyboard = true), true);
  window.addEventListener('pointerdown', () => (keyboard = false), true);
}

/** Whether what was done last was done by keyboard: then the focus goes where one would go on. By mouse it stays out of
 *  fields, where Space would be typed instead of playing. */
export const byKeyboard = () => keyboard;
