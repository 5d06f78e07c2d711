import { createTheme, type MantineColorsTuple } from '@mantine/core';

// Strictly neutral: a viewing room lends no colour to what is judged in it.
const neutral: MantineColorsTuple = [
  '#fafafa', '#e6e6e6', '#cccccc', '#b3b3b3', '#999999', '#777777', '#5c5c5c', '#444444', '#333333', '#1f1f1f',
];
const dark: MantineColorsTuple = [
  '#ededed', '#b3b3b3', '#8c8c8c', '#5c5c5c', '#444444', '#3a3a3a', '#2a2a2a', '#1f1f1f', '#171717', '#101010',
];

export const theme = createTheme({
  fontFamily: "'Atkinson Hyperlegible Next Variable', system-ui, sans-serif",
  fontFamilyMonospace: "'Atkinson Hyperlegible Mono Variable', ui-monospace, monospace",
  fontSizes: { xs: '12px', sm: '13.5px', md: '15px', lg: '17px', xl: '20px' },
  colors: { neutral, dark, gray: neutral, blue: neutral },
  primaryColor: 'neutral',
  primaryShade: 1,
  autoContrast: true,
  defaultRadius: 'sm',
  radius: { sm: '6px', md: '8px' },
  cursorType: 'pointer',
  respectReducedMotion: true,
  components: {
    Button: { defaultProps: { size: 'xs', variant: 'default' } },
    ActionIcon: { defaultProps: { variant: 'subtle', size: 'sm' } },
    TextInput: { defaultProps: { size: 'xs' } },
    NumberInput: { defaultProps: { size: 'xs' } },
    Select: { defaultProps: { size: 'xs', allowDeselect: false, comboboxProps: { withinPortal: true, transitionProps: { duration: 0 } } } },
    MultiSelect: { defaultProps: { size: 'xs', comboboxProps: { transitionProps: { duration: 0 } } } },
    Modal: { defaultProps: { closeButtonProps: { 'aria-label': 'Close' } } },
    Drawer: { defaultProps: { closeButtonProps: { 'aria-label': 'Close' } } },
    SegmentedControl: { defaultProps: { size: 'xs' } },
    Tooltip: { defaultProps: { openDelay: 400, withArrow: true } },
  },
});
