// The key pair by which this browser stays signed in. Its private half can be used by pages of this origin and read by
// none: what stands at this address while the service is away learns nothing that opens anything.

const DATABASE = 'yadori';
const STORE = 'pair';
const CURVE = { name: 'ECDSA', namedCurve: 'P-256' };

function opened(): Promise<IDBDatabase> {
  return new Promise((resolve, reject) => {
    const asked = indexedDB.open(DATABASE, 1);
    asked.onupgradeneeded = () => asked.result.createObjectStore(STORE);
    asked.onsuccess = () => resolve(asked.result);
    asked.onerror = () => reject(asked.error ?? new Error('no storage'));
  });
}

async function stored<T>(mode: IDBTransactionMode, work: (store: IDBObjectStore) => IDBRequest<T>): Promise<T> {
  const database = await opened();
  try {
    return await new Promise<T>((resolve, reject) => {
      const asked = work(database.transaction(STORE, mode).objectStore(STORE));
      asked.onsuccess = () => resolve(asked.result);
      asked.onerror = () => reject(asked.error ?? new Error('no storage'));
    });
  } finally {
    database.close();
  }
}

const inBase64 = (bytes: ArrayBuffer): string => btoa(String.fromCharCode(...new Uint8Array(bytes)));

/** Makes a new pair in place of the old one. Gives its public half in base64; `null` where none can be kept. */
export async function newPair(): Promise<string | null> {
  try {
    const pair = await crypto.subtle.generateKey(CURVE, false, ['sign']);
    const raw = await crypto.subtle.exportKey('raw', pair.publicKey);
    await stored('readwrite', (store) => store.put(pair.privateKey, 'own'));
    return inBase64(raw);
  } catch {
    return null;
  }
}

/** Signs a text; `null` without a pair. In base64. */
export async function signed(text: string): Promise<string | null> {
  try {
    const key = await stored<CryptoKey | undefined>('readonly', (store) => store.get('own') as IDBRequest<CryptoKey | undefined>);
    if (!key) return null;
    return inBase64(await crypto.subtle.sign({ name: 'ECDSA', hash: 'SHA-256' }, key, new TextEncoder().encode(text)));
  } catch {
    return null;
  }
}

export async function forgetPair(): Promise<void> {
  await stored('readwrite', (store) => store.delete('own')).catch(() => {});
}
