import { Route, Routes } from 'react-router'
import { LinkPage } from './link-page.tsx'
import { OwnMail } from './own-mail.tsx'
import { OwnMessagePage } from './own-message.tsx'
import { LinkFrame, OwnFrame } from './own-pages.tsx'
import { OwnQuestions } from './own-questions.tsx'
import { OwnRules } from './own-rules.tsx'
import { OwnSenders } from './own-senders.tsx'
import { OwnSettings } from './own-settings.tsx'
import { StandbyList } from './standby/standby-list.tsx'
import { StandbyMessage } from './standby/standby-message.tsx'
import { StandbyDraftPage, StandbyNew } from './standby/standby-write.tsx'

/** The colleagues' own pages. */
export function OwnArea() {
  return (
    <Routes>
      <Route element={<OwnFrame />}>
        <Route index element={<OwnMail />} />
        <Route path="mail/:id" element={<OwnMessagePage />} />
        <Route path="senders" element={<OwnSenders />} />
        <Route path="rules" element={<OwnRules />} />
        <Route path="questions" element={<OwnQuestions />} />
        <Route path="questions/:id" element={<OwnQuestions />} />
        <Route path="digests" element={<OwnSettings />} />
        <Route path="standby" element={<StandbyList />} />
        <Route path="standby/mail/:key" element={<StandbyMessage />} />
        <Route path="standby/write" element={<StandbyNew />} />
        <Route path="standby/letters/:id" element={<StandbyDraftPage />} />
        <Route path="*" element={<OwnMail />} />
      </Route>
    </Routes>
  )
}

/** Where the links of digests lead. */
export function LinkArea() {
  return (
    <Routes>
      <Route path=":token" element={<LinkFrame />}>
        <Route index element={<LinkPage />} />
        <Route path=":act" element={<LinkPage />} />
      </Route>
    </Routes>
  )
}
