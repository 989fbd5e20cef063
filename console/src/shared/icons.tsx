/** The icons of the console; each stands beside words and is hidden from screen readers. */
export { Check, ChevronDown, CircleAlert, CircleCheck, Copy as CopyIcon, Menu, Moon, Plus, Sun, TriangleAlert, X } from 'lucide-react'
