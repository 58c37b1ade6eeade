// What each step's own scripts add, in one line a step. A module may have: hands (a button takes one up), drawn(sheet) (once the sheet stands),
// draw(pen, over) (marks on the picture), press(p, over) (a grip with move(p) and release(p), or true where the press is done with), hover(p),
// curve() (for the rail: what moves over the range, with keys that can be pulled).
import * as plate from './steps/plate.js';
import * as camera from './steps/camera.js';
import * as cut from './cut.js';
import * as cracks from './cracks.js';
import * as set from './steps/set.js';
import * as setLines from './steps/setlines.js';
import * as projection from './steps/projection.js';
import * as light from './steps/light.js';
import * as sun from './steps/sun.js';
import * as contact from './steps/contact.js';
import * as finish from './steps/finish.js';
import * as handOver from './steps/handover.js';
import * as carry from './carry.js';
import * as notes from './notes.js';
import * as survey from './survey.js';
import * as lasso from './lasso.js';
import * as mattes from './mattes.js';
import * as outlines from './outlines.js';
import * as edgeHand from './edgehand.js';
import * as strokes from './strokes.js';
import * as moving from './moving.js';
import * as still from './still.js';
import * as hand from './hand.js';
import * as tracks from './tracks.js';
import * as edges from './edges.js';
import * as colour from './colour.js';
import * as curves from './curves.js';
import * as hang from './hang.js';
import * as handles from './handles.js';

// Where several could take a press, the first one does.
const modules = {
  1: [plate],
  2: [survey, camera, moving, still, hand, hang, outlines, edgeHand, strokes, mattes, tracks, lasso],
  3: [survey, handles, edges, moving, hang, set, setLines, cut, cracks, lasso],
  4: [outlines, edgeHand, strokes, mattes, projection],
  5: [handles, hang, light, sun, outlines, edgeHand, strokes, mattes],
  6: [handles, outlines, edgeHand, strokes, mattes, moving, hang, contact, carry],
  7: [outlines, edgeHand, strokes, mattes, finish, notes],
  8: [handOver, notes],
};
export const modulesOf = (step) => [curves, ...(modules[step] ?? []), colour];
