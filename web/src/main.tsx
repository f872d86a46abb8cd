import { QueryClient, QueryClientProvider } from '@tanstack/react-query'
import { StrictMode, Suspense, lazy } from 'react'
import { createRoot } from 'react-dom/client'
import { BrowserRouter, Navigate, Route, Routes } from 'react-router'
import { Refused } from './api/client'
import { StripPatterns } from './drawings/strip/Strip'
import { Frame } from './frame/Frame'
import './theme.css'

// Each stage is fetched when it is first opened.
const Arrive = lazy(() => import('./arrive/Arrive').then((stage) => ({ default: stage.Arrive })))
const Batches = lazy(() => import('./arrive/Batches').then((stage) => ({ default: stage.Batches })))
const Day = lazy(() => import('./day/Day').then((stage) => ({ default: stage.Day })))
const Decide = lazy(() => import('./decide/Decide').then((stage) => ({ default: stage.Decide })))
const Fit = lazy(() => import('./fit/Fit').then((stage) => ({ default: stage.Fit })))
const Dangers = lazy(() => import('./inspect/Dangers').then((stage) => ({ default: stage.Dangers })))
const Inspect = lazy(() => import('./inspect/Inspect').then((stage) => ({ default: stage.Inspect })))
const Join = lazy(() => import('./people/Join').then((page) => ({ default: page.Join })))
const Start = lazy(() => import('./people/Start').then((page) => ({ default: page.Start })))
const Workshop = lazy(() => import('./workshop/Workshop').then((page) => ({ default: page.Workshop })))
const Shelf = lazy(() => import('./sell/Shelf').then((page) => ({ default: page.Shelf })))
const SignIn = lazy(() => import('./people/SignIn').then((stage) => ({ default: stage.SignIn })))
const Release = lazy(() => import('./release/Release').then((stage) => ({ default: stage.Release })))
const Sheets = lazy(() => import('./sheets/Sheets').then((stage) => ({ default: stage.Sheets })))
const Story = lazy(() => import('./story/Story').then((stage) => ({ default: stage.Story })))
const Round = lazy(() => import('./stock/Round').then((stage) => ({ default: stage.Round })))
const Stock = lazy(() => import('./stock/Stock').then((stage) => ({ default: stage.Stock })))

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
      <BrowserRouter>
        <Suspense fallback={null}>
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
          </Route>
        </Routes>
        </Suspense>
      </BrowserRouter>
    </QueryClientProvider>
  </StrictMode>,
)
