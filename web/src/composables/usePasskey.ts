import { api, answer, ApiError } from '../api/client'

type Creation = PublicKeyCredentialCreationOptionsJSON
type Request = PublicKeyCredentialRequestOptionsJSON

/** Whether this page and this device can use passkeys: not over plain HTTP from another machine, nor by a number. */
export const passkeysWork = () =>
  'PublicKeyCredential' in window &&
  'parseRequestOptionsFromJSON' in PublicKeyCredential &&
  !/^[\d.]+$|^\[/.test(location.hostname)

/** Something that the device was asked and did not give: in words that say what to do. */
function refused(detail: string): never {
  throw new ApiError({ title: 'No passkey', status: 422, detail, code: 'passkey' })
}

async function fromDevice(what: () => Promise<Credential | null>, known: string) {
  let credential
  try {
    credential = await what()
  } catch (error) {
    if (error instanceof DOMException && error.name === 'InvalidStateError') refused(known)
    refused('The device gave no passkey: it was broken off, or took too long. Try again, or use your password or PIN.')
  }
  return (credential as PublicKeyCredential).toJSON() as Record<string, unknown>
}

/** usePasskey asks this device for a passkey. What it throws is an ApiError. */
export function usePasskey() {
  /** Makes one for whoever is signed in. */
  async function register(password: string, name: string) {
    const { options } = await answer(api.POST('/api/session/passkeys/offer', { body: { password } }))
    const publicKey = PublicKeyCredential.parseCreationOptionsFromJSON(options as Creation)
    const credential = await fromDevice(
      () => navigator.credentials.create({ publicKey }),
      'This device has a passkey of yours already.',
    )
    return api.POST('/api/session/passkeys', { body: { name, credential } })
  }
  async function shown() {
    const { options } = await answer(api.POST('/api/session/passkey/ask'))
    const publicKey = PublicKeyCredential.parseRequestOptionsFromJSON(options as Request)
    return fromDevice(() => navigator.credentials.get({ publicKey }), 'This device has no passkey for this page.')
  }
  const signIn = async () => api.POST('/api/session/passkey/sign-in', { body: { credential: await shown() } })
  /** What one signs with, once. */
  const confirm = async () => api.POST('/api/session/passkeys/confirm', { body: { credential: await shown() } })
  return { register, signIn, confirm }
}
