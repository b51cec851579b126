import { prepareZXingModule, readBarcodes } from 'zxing-wasm/reader'
import reader from 'zxing-wasm/reader/zxing_reader.wasm?url'

// What reads the codes is served by us, and never fetched from anywhere else.
prepareZXingModule({ overrides: { locateFile: () => reader } })

/** codeIn reads the code of a label in a picture: a QR code or a Code 128. Empty where there is none. */
export async function codeIn(picture: ImageData): Promise<string> {
  const [code] = await readBarcodes(picture, { formats: ['QRCode', 'Code128'], tryHarder: true, maxNumberOfSymbols: 1 })
  return code?.isValid ? code.text : ''
}
