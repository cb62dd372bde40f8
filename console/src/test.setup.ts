import { configure } from '@testing-library/react'

configure({ asyncUtilTimeout: 10_000 }) // a busy machine is no failure
