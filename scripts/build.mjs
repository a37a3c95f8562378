// `npm run build`: the web part and the server as they run in production.
import { ensurePackages, ensureServer, ensureWeb } from './prepare.mjs'

ensurePackages()
ensureWeb()
ensureServer()
