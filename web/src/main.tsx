import { QueryClient, QueryClientProvider } from '@tanstack/react-query'
import { StrictMode, useEffect, useState } from 'react'
import { createRoot } from 'react-dom/client'
import { BrowserRouter, Navigate, Route, Routes, useNavigate, useParams } from 'react-router'
import { Refused } from './api/client'
import { Arrive } from './arrive/Arrive'
import { Batches } from './arrive/Batches'
import { Day } from './day/Day'
import { Decide } from './decide/Decide'
import { StripPatterns } from './drawings/strip/Strip'
import { Fit } from './fit/Fit'
import { Frame } from './frame/Frame'
import { useJump } from './frame/ScanBox'
import { Dangers } from './inspect/Dangers'
import { Inspect } from './inspect/Inspect'
import { SignIn } from './people/SignIn'
import { Release } from './release/Release'
import { Sheets } from './sheets/Sheets'
import { Stock } from './stock/Stock'
import './theme.css'

const queries = new QueryClient({
  defaultOptions: {
    queries: {
      // A refusal is an answer; only silence is worth asking again.
      retry: (failures, error) => error instanceof Refused && error.problem.status === 0 && failures < 3,
      networkMode: 'always',
    },
  },
})

/** A tag alone in the address: the unit's next step opens. */
function JumpTo() {
  const { tag = '' } = useParams()
  const jump = useJump()
  const navigate = useNavigate()
  const [refusal, setRefusal] = useState('')
  useEffect(() => {
    void jump(tag).then(setRefusal)
  }, [tag])
  return refusal ? <p className="page">{refusal} <button className="underline" onClick={() => navigate('/')}>All batches</button></p> : null
}

createRoot(document.getElementById('root') as HTMLElement).render(
  <StrictMode>
    <QueryClientProvider client={queries}>
      <StripPatterns />
      <BrowserRouter>
        <Routes>
          <Route path="/sign-in" element={<SignIn />} />
          <Route element={<Frame />}>
            <Route index element={<Batches />} />
            <Route path="unit/:tag" element={<JumpTo />} />
            <Route path="dangers" element={<Dangers />} />
            <Route path="day" element={<Day />} />
            <Route path="stock" element={<Stock />} />
            <Route path="sheets/:sheet?" element={<Sheets />} />
            <Route path=":batch">
              <Route index element={<Navigate replace to="inspect" />} />
              <Route path="arrive" element={<Arrive />} />
              <Route path="inspect/:tag?" element={<Inspect />} />
              <Route path="dangers" element={<Dangers />} />
              <Route path="decide" element={<Decide />} />
              <Route path="fit/:tag?" element={<Fit />} />
              <Route path="day" element={<Day />} />
              <Route path="release/:tag?" element={<Release />} />
              <Route path="stock" element={<Stock />} />
              <Route path="sheets/:sheet?" element={<Sheets />} />
            </Route>
          </Route>
        </Routes>
      </BrowserRouter>
    </QueryClientProvider>
  </StrictMode>,
)
