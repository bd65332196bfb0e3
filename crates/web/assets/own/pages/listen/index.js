// @ts-check
// Listen: what is heard, what is drawn, marks, lengths and the candidates.
import "./state.js";
import "./draw.js";
import "./marks.js";
import "./length.js";
import "./candidates.js";
