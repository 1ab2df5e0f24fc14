/** A person at an installation: requests with a session, as a browser sends them. */
async function signedIn(url, { login, password }) {
  const r = await fetch(`${url}/api/sign-in`, {
    method: 'POST',
    headers: { 'content-type': 'application/json' },
    body: JSON.stringify({ login, password }),
  });
  if (!r.ok) throw new Error(`${login} cannot sign in at ${url}: ${await r.text()}`);
  const cookie = r.headers.get('set-cookie').split(';')[0];
  const { csrf } = await r.json();
  return async (method, path, body) => {
    const a = await fetch(url + path, {
      method,
      headers: { cookie, 'x-csrf-token': csrf, 'content-type': 'application/json' },
      ...(body === undefined ? {} : { body: JSON.stringify(body) }),
    });
    const text = await a.text();
    // What is there already stays as it is.
    if (!a.ok && a.status !== 409) throw new Error(`${method} ${path}: ${text}`);
    return JSON.parse(text || '{}');
  };
}

/** Two installations trust each other’s key, and the first knows at which sites the second one stands: what two wardens do once. */
export async function pair(home, room, warden) {
  const [at, there] = [await signedIn(home.url, warden), await signedIn(room.url, warden)];
  const key = async (ask) => (await ask('GET', '/api/installations')).own.key;
  await at('POST', '/api/trust/installations', { name: room.name, key: await key(there) });
  await there('POST', '/api/trust/installations', { name: home.name, key: await key(at) });
  const { others } = await at('GET', '/api/installations');
  if (!others.find((o) => o.name === room.name)?.sites.length)
    await at('PUT', `/api/installations/${room.name}/sites`, { sites: room.sites });
}
