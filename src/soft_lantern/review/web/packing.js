// The block of numbers and pictures that `packing.py` put together.

async function unpacked(text) {
  const packed = Uint8Array.from(atob(text.trim()), (letter) => letter.charCodeAt(0));
  const stream = new Blob([packed]).stream().pipeThrough(new DecompressionStream("gzip"));
  return new Response(stream).arrayBuffer();
}

const floatsAt = (block, row) => new Float32Array(block, row.at, row.count);
const wholeAt = (block, row) => new Uint32Array(block, row.at, row.count);

// The texels of a picture: planes of differences to the left become bytes beside one another.
function texelsAt(block, row) {
  const channels = row.form === "halves" ? 8 : 4;
  const { width, height } = row;
  const planes = new Uint8Array(block, row.at, width * height * channels);
  const texels = new Uint8Array(planes.length);
  let at = 0;
  for (let channel = 0; channel < channels; channel++) {
    for (let y = 0; y < height; y++) {
      let sum = 0;
      for (let x = 0, to = y * width * channels + channel; x < width; x++, to += channels) {
        sum = (sum + planes[at++]) & 255;
        texels[to] = sum;
      }
    }
  }
  return texels;
}

const encoded = (part) => (part <= 0.0031308 ? part * 12.92 : 1.055 * part ** (1 / 2.4) - 0.055); // IEC 61966-2-1
const decoded = (part) => (part <= 0.04045 ? part / 12.92 : ((part + 0.055) / 1.055) ** 2.4);

// Texels of 8 bits as linear floats from 0 to 1.
function asLinear(texels, curved) {
  const straight = Float32Array.from({ length: 256 }, (_, step) => step / 255);
  const colours = curved ? straight.map(decoded) : straight;
  const found = new Float32Array(texels.length);
  for (let at = 0; at < texels.length; at++) found[at] = (at % 4 === 3 ? straight : colours)[texels[at]];
  return found;
}

// Parts of 8 bits with an exponent, as graphics take it: parts of 9 bits with an exponent.
function withSharedExponent(texels) {
  const found = new Uint32Array(texels.length / 4);
  for (let i = 0, at = 0; i < found.length; i++, at += 4) {
    const [red, green, blue, exponent] = [texels[at], texels[at + 1], texels[at + 2], texels[at + 3]];
    found[i] = ((exponent << 27) | (blue << 19) | (green << 10) | (red << 1)) >>> 0;
  }
  return found;
}
