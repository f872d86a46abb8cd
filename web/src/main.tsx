import { QueryClient, QueryClientProvider } from '@tanstack/react-query'
import { StrictMode } from 'react'
import { createRoot } from 'react-dom/client'
import { BrowserRouter, Navigate, Route, Routes } from 'react-router'
import { Refused } from './api/client'
import { StripPatterns } from './drawings/strip/Strip'
import { Caught } from './frame/Caught'
import { Frame } from './frame/Frame'
import { NoPage } from './frame/NoPage'
import { fetched } from './frame/fetched'
import './theme.css'

// Each stage is fetched when it is first opened.
const Arrive = fetched(() => import('./arrive/Arrive').then((stage) => stage.Arrive))
const Batches = fetched(() => import('./arrive/Batches').then((stage) => stage.Batches))
const Day = fetched(() => import('./day/Day').then((stage) => stage.Day))
const Decide = fetched(() => import('./decide/Decide').then((stage) => stage.Decide))
const Fit = fetched(() => import('./fit/Fit').then((stage) => stage.Fit))
const Dangers = fetched(() => import('./inspect/Dangers').then((stage) => stage.Dangers))
const Inspect = fetched(() => import('./inspect/Inspect').then((stage) => stage.Inspect))
const Join = fetched(() => import('./people/Join').then((page) => page.Join))
const Start = fetched(() => import('./people/Start').then((page) => page.Start))
const Workshop = fetched(() => import('./workshop/Workshop').then((page) => page.Workshop))
const Shelf = fetched(() => import('./sell/Shelf').then((page) => page.Shelf))
const SignIn = fetched(() => import('./people/SignIn').then((stage) => stage.SignIn))
const Release = fetched(() => import('./release/Release').then((stage) => stage.Release))
const Sheets = fetched(() => import('./sheets/Sheets').then((stage) => stage.Sheets))
const Story = fetched(() => import('./story/Story').then((stage) => stage.Story))
const Round = fetched(() => import('./stock/Round').then((stage) => stage.Round))
const Stock = fetched(() => import('./stock/Stock').then((stage) => stage.Stock))

const queries = new QueryClient({
  defaultOptions: {
    queries: {
      // A refusal is an answer; only silence is worth asking again.
      retry: (failures, error) => error instanceof Refused && error.problem.status === 0 && failures < 3,
      networkMode: 'always',
    },
  },
})

createRoot(document.getElementById('root') as HTMLElement).render(
  <StrictMode>
    <QueryClientProvider client={queries}>
      <StripPatterns />
      <Caught at="">
      <BrowserRouter>
        <Routes>
          <Route path="/sign-in" element={<SignIn />} />
          <Route path="/start" element={<Start />} />
          <Route path="/join" element={<Join />} />
          <Route element={<Frame />}>
            <Route index element={<Batches />} />
            <Route path="unit/:tag" element={<Story />} />
            <Route path="shelf" element={<Shelf />} />
            <Route path="workshop/:room?" element={<Workshop />} />
            <Route path="dangers" element={<Dangers />} />
            <Route path="day" element={<Day />} />
            <Route path="stock" element={<Stock />} />
            <Route path="stock/round" element={<Round />} />
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
            <Route path="*" element={<NoPage />} />
          </Route>
        </Routes>
      </BrowserRouter>
      </Caught>
    </QueryClientProvider>
  </StrictMode>,
)
