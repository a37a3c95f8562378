import { expect, test, type Page } from '@playwright/test'
